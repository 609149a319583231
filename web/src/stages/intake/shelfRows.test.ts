import { expect, test } from "vitest";
import type { Schemas } from "../../api/client";
import { shelfRows } from "./shelfRows";

const entry = (path: string): Schemas["ShelfEntry"] => ({
  path,
  name: path.slice(path.lastIndexOf("/") + 1),
  folder: false,
  size: 1,
  here: false,
});
const said = (rows: ReturnType<typeof shelfRows>) => rows.map((r) => ("head" in r ? `${r.head}/ ${r.count}` : r.path));

test("what was found lies under its folders, which fold by themselves", () => {
  const found = ["top.wav", "day 1/a.wav", "day 1/b.wav", "day 1/card/a.wav", "day 2/a.wav"].map(entry);
  expect(said(shelfRows(found, false, new Set())), "a folder is shown as it is").toEqual(found.map((e) => e.path));
  expect(said(shelfRows(found, true, new Set()))).toEqual([
    "/ 1",
    "top.wav",
    "day 1/ 2",
    "day 1/a.wav",
    "day 1/b.wav",
    "day 1/card/ 1",
    "day 1/card/a.wav",
    "day 2/ 1",
    "day 2/a.wav",
  ]);
  expect(said(shelfRows(found, true, new Set(["day 1", ""])))).toEqual([
    "/ 1",
    "day 1/ 2",
    "day 1/card/ 1",
    "day 1/card/a.wav",
    "day 2/ 1",
    "day 2/a.wav",
  ]);
  expect(shelfRows([], true, new Set())).toEqual([]);
});
