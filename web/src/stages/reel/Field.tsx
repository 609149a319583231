import { useRef, useState } from "react";

type FieldProps = {
  label: string;
  says: string;
  value: string;
  wide: string;
  parse: (text: string) => number | null;
  save: (v: number) => void;
  /** How far the arrows step (with Shift ten times as far), how a value is shown, and its rest, to which a double click leads. */
  step?: { by: number; shown: (v: number) => string; rest?: number | undefined };
};

const still = 400; // ms after the last step, until it is kept

/** A value that is typed: Enter and leaving the field keep it, Escape does not, and what can't be is marked. */
export function Field({ label, says, value, wide, parse, save, step }: FieldProps) {
  const stepping = useRef<ReturnType<typeof setTimeout>>(undefined);
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
        onDoubleClick={() => {
          if (step?.rest === undefined) return;
          setDraft(step.shown(step.rest));
          save(step.rest);
        }}
        onKeyDown={(e) => {
          if (step && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
            e.preventDefault();
            const now = parse(draft ?? value);
            const next = step.shown((now ?? 0) + (e.key === "ArrowUp" ? 1 : -1) * step.by * (e.shiftKey ? 10 : 1));
            const to = parse(next);
            if (now === null || to === null) return;
            setDraft(next);
            clearTimeout(stepping.current);
            stepping.current = setTimeout(() => save(to), still);
            return;
          }
          if (e.key === "Escape") dropped.current = true;
          if (e.key === "Escape" || (e.key === "Enter" && !bad)) e.currentTarget.blur();
        }}
        onBlur={() => {
          clearTimeout(stepping.current); // what was stepped to is kept as what was typed
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
