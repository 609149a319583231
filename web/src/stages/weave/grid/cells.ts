import { readTSV } from "../../../ui/tsv";

/** A cell of a grid, by its row and column from 0. */
export type Spot = { row: number; col: number };

/** What is put into a cell: a level in dB; null takes away what is there. */
export type Put = Spot & { db: number | null };

/** The rectangle between two cells. */
export const corners = (a: Spot, b: Spot) => ({
  top: Math.min(a.row, b.row),
  bottom: Math.max(a.row, b.row),
  left: Math.min(a.col, b.col),
  right: Math.max(a.col, b.col),
});

/** A level as it is typed: "-6", "−3,5 dB"; nothing is null. Undefined for what is no level from -96 to 24 dB. */
export function readLevel(text: string): number | null | undefined {
  const t = text
    .trim()
    .replace(/\s*dB$/i, "")
    .replace("−", "-")
    .replace(",", ".");
  if (t === "") return null;
  const v = Number(t);
  return Number.isFinite(v) && v >= -96 && v <= 24 ? v : undefined;
}

/** A factor as it is copied: dB with as many decimals as it takes to be the same again, nothing for none. */
export const writeLevel = (factor: number): string =>
  factor === 0 ? "" : String(Number((20 * Math.log10(Math.abs(factor))).toFixed(4)));

/** What a table puts into cells from the upper left of a choice on; a single cell is put into all that are chosen. */
export function pasted(text: string, a: Spot, b: Spot, rows: number, cols: number): Put[] | string {
  const table = readTSV(text);
  const c = corners(a, b);
  const one = table.length === 1 && table[0]?.length === 1;
  const out: Put[] = [];
  for (let i = 0; i < (one ? c.bottom - c.top + 1 : table.length); i++) {
    const line = one ? table[0] : table[i];
    for (let k = 0; k < (one ? c.right - c.left + 1 : (line?.length ?? 0)); k++) {
      const [row, col] = [c.top + i, c.left + k];
      if (row >= rows || col >= cols) continue;
      const text = line?.[one ? 0 : k] ?? "";
      const db = readLevel(text);
      if (db === undefined) return `“${text}” is no level from −96 to 24 dB: nothing was pasted.`;
      out.push({ row, col, db });
    }
  }
  return out;
}

/** What the top row of a choice puts into the rows below it. */
export function filled(a: Spot, b: Spot, level: (at: Spot) => number | null): Put[] {
  const c = corners(a, b);
  const out: Put[] = [];
  for (let row = c.top + 1; row <= c.bottom; row++)
    for (let col = c.left; col <= c.right; col++) out.push({ row, col, db: level({ row: c.top, col }) });
  return out;
}
