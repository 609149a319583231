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

/** Stem and part as they are chosen together: "DX / Ines". */
export function stemAndPart(s: { stem: string; part: string }): string {
  return [s.stem, s.part].filter(Boolean).join(" / ");
}

/** Reads "DX / Ines", or a part alone, whose stem then stays as it is. */
export function readPart(text: string): { stem?: string; part: string } {
  const m = /^(DX|VO|MX|FX)\s*\/\s*(.*)$/i.exec(text.trim());
  return m ? { stem: m[1]?.toUpperCase() ?? "", part: (m[2] ?? "").trim() } : { part: text.trim() };
}

/** The labels in use with the stem and part they were given, most used first: what is offered while one types. */
export function knownLabels(takes: Take[]): Map<string, { stem: string; part: string }> {
  const uses = new Map<string, number>();
  const known = new Map<string, { stem: string; part: string }>();
  for (const t of takes) {
    for (const s of t.strands) {
      if (s.label === "") continue;
      uses.set(s.label, (uses.get(s.label) ?? 0) + 1);
      const old = known.get(s.label);
      if (!old || (old.stem === "" && old.part === "")) known.set(s.label, { stem: s.stem, part: s.part });
    }
  }
  return new Map([...known].sort(([a], [b]) => (uses.get(b) ?? 0) - (uses.get(a) ?? 0)));
}

/** Stem and part that go with a label, for a strand that has neither: they are given together. */
export function alongWith(s: Strand, label: string, known: Map<string, { stem: string; part: string }>): SheetCell[] {
  const k = known.get(label.trim());
  if (!k || s.stem !== "" || s.part !== "") return [];
  return (["stem", "part"] as const)
    .filter((f) => k[f] !== "")
    .map((field) => ({ row: s.id, field, value: k[field], was: "" }));
}
