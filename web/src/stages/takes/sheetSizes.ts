import type { Column } from "./cells";

export const headHeight = 28;
export const groupHeight = 28;
export const textHeight = 20; // of a cell: its words have a place of their own, above the waveform
export const fixed = [
  { column: "scene", title: "Scene", width: 92 },
  { column: "take", title: "Take", width: 84 },
  { column: "roll", title: "Roll", width: 72 },
  { column: "flags", title: "Flags", width: 64 },
  { column: "note", title: "Note", width: 112 },
] as const satisfies { column: Column; title: string; width: number }[];
export const leading = [
  { key: "start", title: "Start", width: 96 },
  { key: "length", title: "Length", width: 56 },
  { key: "state", title: "State", width: 88 },
] as const;
export const rowHead = 30; // chooses a row
export const markWidth = 14; // of the mark of lining up
export const narrowest = 104; // of a strand, where nobody has said otherwise
export const widest = 240;
export const defaults = {
  ...Object.fromEntries(leading.map((c) => [c.key, c.width])),
  ...Object.fromEntries(fixed.map((c) => [c.column, c.width])),
  strand: narrowest,
} as Record<(typeof leading)[number]["key"] | (typeof fixed)[number]["column"] | "strand", number>;
export const gridId = "takes-sheet";
