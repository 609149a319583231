import type { ReactNode } from "react";
import { TextField } from "../../ui/controls";
import { NumberField } from "../weave/parts";

/** A line of the form: what it is about, and its fields. */
export function Row({ says, children }: { says: string; children: ReactNode }) {
  return (
    <fieldset className="flex min-w-0 items-start gap-2">
      <legend className="float-left w-20 shrink-0 pt-1 text-quiet">{says}</legend>
      <div className="flex min-w-0 flex-1 flex-wrap items-center gap-x-3 gap-y-1">{children}</div>
    </fieldset>
  );
}

type TextProps = { says: string; title?: string; value: string; most: number; save: (v: string) => void };

export function Text({ says, title, value, most, save }: TextProps) {
  return (
    <label className="flex items-center gap-2 text-quiet">
      <span className="w-20 shrink-0 leading-tight">{says}</span>
      <TextField
        title={title}
        value={value}
        maxLength={most}
        onChange={(e) => save(e.target.value)}
        className="min-w-0 flex-1"
      />
    </label>
  );
}

export function Tick({ says, value, save }: { says: string; value: boolean; save: (v: boolean) => void }) {
  return (
    <label className="flex min-h-7 items-center gap-1">
      <input type="checkbox" checked={value} onChange={(e) => save(e.target.checked)} />
      {says}
    </label>
  );
}

/** A number with its unit. */
export function Num({
  says,
  unit,
  value,
  save,
}: {
  says: string;
  unit: string;
  value: number;
  save: (v: number) => void;
}) {
  return <NumberField says={says} unit={unit} value={value} from={-200} to={24000} save={save} />;
}

/** A list with its i-th member exchanged, or without it where there is nothing in its place. */
export const replaced = <T,>(list: readonly T[], i: number, by: T | null): T[] =>
  list.flatMap((x, k) => (k !== i ? [x] : by === null ? [] : [by]));
