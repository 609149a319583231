import type { Schemas, Strand, Take } from "../../api/client";

export type SheetCell = Schemas["SheetCell"];

/** The columns before the strands. */
export const columns = ["scene", "take", "roll", "flags", "note"] as const;
export type Column = (typeof columns)[number];

/** A place in the sheet: a row, and a column counted through the fixed ones and then the strands. */
export type Place = { row: number; col: number };

/** The corners of a selection, in order. */
export function corners(a: Place, b: Place) {
  return {
    top: Math.min(a.row, b.row),
    bottom: Math.max(a.row, b.row),
    left: Math.min(a.col, b.col),
    right: Math.max(a.col, b.col),
  };
}

export const flags = [
  { field: "circled", key: "c", short: "C", name: "circled" },
  { field: "wild_track", key: "w", short: "W", name: "wild track" },
  { field: "no_good", key: "n", short: "N", name: "no good" },
  { field: "false_start", key: "f", short: "F", name: "false start" },
] as const;

export function strandAt(t: Take, col: number): Strand | undefined {
  return t.strands[col - columns.length];
}

/** What a cell says as text, as it is typed and copied. */
export function textAt(t: Take, col: number): string {
  const name = columns[col];
  if (!name) return strandAt(t, col)?.label ?? "";
  if (name !== "flags") return t[name];
  return flags
    .filter((f) => t[f.field])
    .map((f) => f.short)
    .join(" ");
}

/** The edits that make a cell say a text; none where it says so already or is not there. */
export function edits(t: Take, col: number, text: string): SheetCell[] {
  const value = text.trim();
  const name = columns[col];
  if (!name) {
    const s = strandAt(t, col);
    return s && s.label !== value ? [{ row: s.id, field: "label", value, was: s.label }] : [];
  }
  if (name !== "flags") return t[name] === value ? [] : [{ row: t.id, field: name, value, was: t[name] }];
  const on = value.toUpperCase().split(/[\s,]+/);
  return flags
    .filter((f) => on.includes(f.short) !== t[f.field])
    .map((f) => ({ row: t.id, field: f.field, value: !t[f.field], was: t[f.field] }));
}

/** The edits that put a block of texts into the sheet, its first at a place. What hangs over is left out. */
export function paste(takes: Take[], at: Place, to: Place, block: string[][]): SheetCell[] {
  const c = corners(at, to);
  const one = block.length === 1 && block[0]?.length === 1; // one text fills the whole selection
  const rows = one ? c.bottom - c.top + 1 : block.length;
  const cells: SheetCell[] = [];
  for (let r = 0; r < rows; r++) {
    const t = takes[c.top + r];
    const line = one ? block[0] : block[r];
    const width = one ? c.right - c.left + 1 : (line?.length ?? 0);
    for (let k = 0; t && k < width; k++) cells.push(...edits(t, c.left + k, (one ? line?.[0] : line?.[k]) ?? ""));
  }
  return cells;
}

/** The edits that fill the first row of a selection down. */
export function fillDown(takes: Take[], at: Place, to: Place): SheetCell[] {
  const c = corners(at, to);
  const first = takes[c.top];
  const cells: SheetCell[] = [];
  for (let r = c.top + 1; r <= c.bottom; r++) {
    const t = takes[r];
    for (let k = c.left; t && first && k <= c.right; k++) cells.push(...edits(t, k, textAt(first, k)));
  }
  return cells;
}

/** The takes as they are once cells are changed: shown before the server has answered. */
export function applied(takes: Take[], cells: SheetCell[]): Take[] {
  const byRow = new Map<string, SheetCell[]>();
  for (const c of cells) byRow.set(c.row, [...(byRow.get(c.row) ?? []), c]);
  const put = <T extends { id: string }>(row: T): T => {
    const own = byRow.get(row.id);
    return own ? { ...row, ...Object.fromEntries(own.map((c) => [c.field, c.value])) } : row;
  };
  return takes.map((t) => {
    const touched = byRow.has(t.id) || t.strands.some((s) => byRow.has(s.id));
    return touched ? { ...put(t), strands: t.strands.map(put) } : t;
  });
}
