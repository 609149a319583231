import { Check, X } from "lucide-react";

/** Whether something is as it was ordered. */
export function Mark({ ok }: { ok: boolean }) {
  return ok ? (
    <Check size={12} className="shrink-0 text-good" aria-label="as ordered" />
  ) : (
    <X size={12} className="shrink-0 text-bad" aria-label="not as ordered" />
  );
}

/** The same, with what it is about in words. */
export function Verdict({ ok, says }: { ok: boolean; says: string }) {
  return (
    <span className={`flex items-center gap-1 ${ok ? "" : "text-bad"}`}>
      <Mark ok={ok} />
      {says}
    </span>
  );
}
