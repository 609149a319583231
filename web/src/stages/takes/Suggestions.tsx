import { Check, X } from "lucide-react";
import type { Take } from "../../api/client";
import { useDecide } from "../../api/queries";

/** What the sound and the labels suggest, each with its reason. */
export function Suggestions({ take, production }: { take: Take; production: string }) {
  const { mutate: decide, isPending } = useDecide(production);
  const hints = take.suggestions.filter((s) => !s.asks);
  if (hints.length === 0) return null;
  return (
    <ul aria-label="Hints" className="mb-2">
      {hints.map((s) => (
        <li key={s.id} className="flex min-h-8 items-center gap-2 border-focus border-l-4 bg-raised/60 px-3 py-0.5">
          <span className="w-16 shrink-0 text-quiet text-small">{s.certainty}</span>
          <span className="min-w-0 flex-1">
            {s.says.charAt(0).toUpperCase() + s.says.slice(1)}.{" "}
            <span className="text-quiet text-small">{s.reason}</span>
          </span>
          <button
            type="button"
            disabled={isPending}
            aria-label={`Accept: ${s.says}`}
            className="flex h-7 w-7 shrink-0 items-center justify-center text-good hover:bg-raised"
            onClick={() => decide({ suggestions: [s.id], accept: true })}
          >
            <Check size={16} />
          </button>
          <button
            type="button"
            disabled={isPending}
            aria-label={`Refuse: ${s.says}`}
            className="flex h-7 w-7 shrink-0 items-center justify-center text-quiet hover:bg-raised hover:text-bad"
            onClick={() => decide({ suggestions: [s.id], accept: false })}
          >
            <X size={16} />
          </button>
        </li>
      ))}
    </ul>
  );
}
