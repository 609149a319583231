import type { ReactNode } from "react";
import { Field } from "../reel/Field";

/** A line of the aside: a name, and what is chosen or typed. */
export function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="flex min-h-7 items-center gap-2">
      <span className="w-20 shrink-0 truncate text-quiet" title={name}>
        {name}
      </span>
      <span className="flex min-w-0 flex-1 flex-wrap items-center gap-1.5">{children}</span>
    </div>
  );
}

type NumberProps = {
  says: string;
  value: number;
  unit: string;
  from: number;
  to: number;
  /** What a double-click brings it back to. */
  rest?: number;
  places?: number;
  save: (v: number) => void;
};

/** A number that is typed, with its unit; a double-click on the unit brings it to its rest. */
export function NumberField({ says, value, unit, from, to, rest, places = 1, save }: NumberProps) {
  const parse = (text: string) => {
    const v = Number(
      text
        .replace("−", "-")
        .replace(",", ".")
        .replace(/[^\d.-]+$/, ""),
    );
    return text.trim() !== "" && Number.isFinite(v) && v >= from && v <= to ? v : null;
  };
  return (
    <span className="flex items-center gap-1">
      <Field
        label=""
        says={`${says} (${from} to ${to} ${unit})`}
        value={String(Number(value.toFixed(places)))}
        wide="w-[68px]"
        parse={parse}
        save={save}
      />
      <button
        type="button"
        className="text-quiet text-small"
        title={rest === undefined ? unit : `Double-click: back to ${rest} ${unit}`}
        tabIndex={-1}
        onDoubleClick={() => rest !== undefined && save(rest)}
      >
        {unit}
      </button>
    </span>
  );
}
