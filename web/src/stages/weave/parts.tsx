import type { ReactNode } from "react";
import { typedWithin } from "../../ui/numbers";
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
  const shown = (v: number) => String(Number(v.toFixed(places)));
  return (
    <span className="flex items-center gap-1">
      <Field
        label=""
        says={`${says} (${from} to ${to} ${unit})`}
        value={shown(value)}
        wide="w-[68px]"
        parse={(text) => typedWithin(text, from, to)}
        step={{ by: 1, shown, rest }}
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
