import type { Schemas, Take } from "../../api/client";
import type { SheetCell } from "./cells";

export type Reading = Schemas["Reading"];

/** Takes that are alike as far as reading goes: of the same recorder, with as many strands. */
export const alike = (a: Take, b: Take) => a.recorder === b.recorder && a.strands.length === b.strands.length;

/** A reading without its words. */
const said = ({ kind, positions, order, norm, from, why }: Reading) => ({
  kind,
  positions,
  order,
  ...(norm ? { norm } : {}),
  ...(from ? { from } : {}),
  ...(why ? { why } : {}),
});

/**
 * The edits that have strands of takes read in a way, its first strand at the first position; `null`
 * is each by itself. What was said of those strands before goes; takes that lack one are left alone.
 */
export function readAs(takes: Take[], way: Reading | null, positions: number[]): SheetCell[] {
  return takes
    .filter((t) => positions.every((p) => t.strands.some((s) => s.position === p)))
    .flatMap((t): SheetCell[] => {
      const rest = t.readings.filter((r) => !r.positions.some((p) => positions.includes(p)));
      const now = way ? [...rest, { ...way, positions }] : rest;
      const plain = now.map(said);
      const was = t.readings.map(said);
      return JSON.stringify(plain) === JSON.stringify(was) ? [] : [{ row: t.id, field: "readings", value: plain, was }];
    });
}
