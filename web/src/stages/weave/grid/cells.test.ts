import { describe, expect, it } from "vitest";
import { filled, pasted, readLevel, writeLevel } from "./cells";

describe("levels in cells", () => {
  it("are read as people type them", () => {
    for (const [text, db] of [["-6", -6], ["−3,5 dB", -3.5], ["+2", 2], ["0.0", 0], ["", null], [" ", null]] as const) // biome-ignore format: a table
      expect(readLevel(text)).toBe(db);
    for (const text of ["x", "25", "-97", "1e9", "NaN", "- 3"]) expect(readLevel(text)).toBeUndefined();
  });
  it("are copied so that they come to the same factor again", () => {
    for (const f of [1, Math.SQRT1_2, 0.5, 0.1234, 1.5]) {
      const db = readLevel(writeLevel(f)) ?? 0;
      expect(Math.abs(10 ** (db / 20) - f)).toBeLessThan(1e-5);
    }
    expect(writeLevel(0)).toBe("");
  });
  it("are pasted as a table, clipped at the edge, or one into all that are chosen", () => {
    expect(pasted("0\t-3\n\t-6", { row: 1, col: 1 }, { row: 1, col: 1 }, 3, 2)).toEqual([
      { row: 1, col: 1, db: 0 },
      { row: 2, col: 1, db: null },
    ]);
    expect(pasted("-3\n", { row: 2, col: 0 }, { row: 1, col: 1 }, 9, 9)).toHaveLength(4);
    expect(pasted("loud", { row: 0, col: 0 }, { row: 0, col: 0 }, 9, 9)).toMatch(/no level/);
  });
  it("are filled down from the top of what is chosen, whichever end one began at", () => {
    const level = ({ col }: { col: number }) => (col === 0 ? -3 : null);
    expect(filled({ row: 3, col: 1 }, { row: 1, col: 0 }, level)).toEqual([
      { row: 2, col: 0, db: -3 },
      { row: 2, col: 1, db: null },
      { row: 3, col: 0, db: -3 },
      { row: 3, col: 1, db: null },
    ]);
    expect(filled({ row: 1, col: 0 }, { row: 1, col: 0 }, level)).toEqual([]);
  });
});
