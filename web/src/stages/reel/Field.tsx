import { useRef, useState } from "react";

type FieldProps = {
  label: string;
  says: string;
  value: string;
  wide: string;
  parse: (text: string) => number | null;
  save: (v: number) => void;
};

/** A value that is typed: Enter and leaving the field keep it, Escape does not, and what can't be is marked. */
export function Field({ label, says, value, wide, parse, save }: FieldProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const dropped = useRef(false);
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
          if (e.key === "Escape") dropped.current = true;
          if (e.key === "Escape" || (e.key === "Enter" && !bad)) e.currentTarget.blur();
        }}
        onBlur={() => {
          const v = draft === null || draft === value || dropped.current ? null : parse(draft);
          dropped.current = false;
          setDraft(null);
          if (v !== null) save(v);
        }}
        className={`figures h-6 border bg-ground px-1 text-right text-ink ${wide} ${bad ? "border-bad" : "border-line"}`}
      />
    </label>
  );
}
