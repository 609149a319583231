import { expect, test } from "vitest";
import type { Reel } from "../../api/client";
import { channelsOfBuses, columnOf, heard, placesOf } from "./channels";
import { groupKey } from "./choice";

const reel = {
  doc: {
    weave: {
      buses: [
        { id: "DX", name: "DX", role: "stem", layout: "stereo" },
        { id: "M", name: "M", role: "stem", layout: "mono" },
      ],
      outputs: [
        { name: "DX L", bus: "DX", channel: 0, group: "g" },
        { name: "DX R", bus: "DX", channel: 1, group: "g" },
        { name: "M", bus: "M", channel: 0 },
        { name: "again L", bus: "DX", channel: 0, group: "h" },
        { name: "again R", bus: "DX", channel: 1, group: "h" },
      ],
      groups: [
        { id: "g", layout: "stereo" },
        { id: "h", layout: "stereo" },
      ],
    },
  },
  worked_out: {
    layouts: { stereo: ["L", "R"], mono: ["C"] },
    sent: { t: [{ to: "DX", factors: [[0.5], [-0.9]], moves: true }] },
  },
} as unknown as Reel;

test("a bus is a column a channel, and one column where it is folded", () => {
  const open = channelsOfBuses(reel, new Set());
  expect(open.map((c) => c.name)).toEqual(["DX L", "DX R", "M"]);
  expect(open.map((c) => columnOf(c).fold?.folded)).toEqual([false, undefined, undefined]);
  const folded = channelsOfBuses(reel, new Set(["DX", "M"]));
  expect(folded.map((c) => [c.name, c.index])).toEqual([["DX", -1], ["M", 0]]); // biome-ignore format: a table
  const [l, r] = open;
  const [dx, mono] = folded;
  if (!l || !r || !dx || !mono) throw new Error("columns are missing");
  expect(heard(reel, "t", l)).toEqual({ value: 0.5, moves: true });
  expect(heard(reel, "t", r).value).toBe(-0.9);
  expect(heard(reel, "t", dx).value).toBe(-0.9); // of all, the one that is heard most
  expect(heard(reel, "t", mono)).toEqual({ value: 0, moves: false });
  expect(heard(reel, "nobody", l).value).toBe(0);
});

test("a group of outputs is a row an output, and one row where it is folded", () => {
  const open = placesOf(reel, new Set());
  expect(open.map((p) => p.at)).toEqual([[0], [1], [2], [3], [4]]);
  expect(open.map((p) => p.first)).toEqual([true, false, false, true, false]);
  const one = placesOf(reel, new Set([groupKey("h")]));
  expect(one.map((p) => p.at)).toEqual([[0], [1], [2], [3, 4]]);
  expect(one.at(-1)).toMatchObject({ folded: true, layout: "stereo", group: "h" });
  const both = placesOf(reel, new Set([groupKey("g"), groupKey("h"), "g"]));
  expect(both.map((p) => p.at)).toEqual([[0, 1], [2], [3, 4]]);
});
