import { useState } from "react";

type FieldProps = {
  label: string;
  says: string;
  value: string;
  wide: string;
  parse: (text: string) => number | null;
  save: (v: number) => void;
};

/** A value that is typed: Enter keeps it, Escape does not, and what can't be is marked. */
export function Field({ label, says, value, wide, parse, save }: FieldProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const bad = draft !== null && parse(draft) === null;
  return (
    <label className="flex items-center gap-1 text-quiet">
      {label}
      <input
        aria-label={says}
        title={says}
        aria-invalid={bad}
        value={draft ?? value}
        onFocus={(e) => {
          setDraft(value);
          e.target.select();
        }}
        onMouseUp={(e) => e.preventDefault()} // all of it stays chosen, to be typed over
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Escape") {
            setDraft(null);
            e.currentTarget.blur();
          }
          if (e.key !== "Enter" || draft === null) return;
          const v = parse(draft);
          if (v === null) return;
          if (draft !== value) save(v);
          e.currentTarget.blur();
        }}
        onBlur={() => setDraft(null)}
        className={`figures h-6 border bg-ground px-1 text-right text-ink ${wide} ${bad ? "border-bad" : "border-line"}`}
      />
    </label>
  );
}
