import { useState } from "react";
import { gain } from "../../format";

type Props = {
  says: string;
  /** dB; null where there is nothing to have a gain. */
  value: number | null;
  className: string;
  save: (db: number) => void;
};

/** A gain within a row: shown in dB, typed as a number from -96 to 24, kept with Enter or on leaving it. */
export function GainInput({ says, value, className, save }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = () => {
    const v = Number(draft?.replace("−", "-").replace(",", "."));
    if (draft !== null && value !== null && Number.isFinite(v) && v !== value) save(Math.max(-96, Math.min(24, v)));
    setDraft(null);
  };
  return (
    <input
      aria-label={says}
      disabled={value === null}
      value={draft ?? (value === null ? "" : gain(value))}
      onFocus={(e) => {
        setDraft(String(value ?? 0));
        requestAnimationFrame(() => e.target.select());
      }}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setDraft(null);
      }}
      className={`figures bg-ground px-1 text-right ${className}`}
    />
  );
}
