import { expect, test } from "vitest";
import type { Clip, Track } from "../api/client";
import { timecodeAt } from "../format";
import { kinOf, shownAs } from "./ghost";
import { parsePosition } from "./position";

const pal = { num: 25, den: 1, drop: false };
const drop = { num: 30000, den: 1001, drop: true };

test.each([
  ["10:00:00:00", 1_728_000_000],
  ["3", 1_729_915_200 - 1_920 * 22 + 1_920 * 0],
  ["+1:00", 1_729_873_000 + 48_000],
  ["-12f", 1_729_873_000 - 12 * 1_920],
  ["+480s", 1_729_873_480],
  ["+20ms", 1_729_873_960],
  ["−2f", 1_729_873_000 - 3_840],
])("%s is a position", (text, want) => {
  const at = 1_729_873_000; // 10:00:39:00 and a little
  if (text === "3") expect(timecodeAt(parsePosition(text, at, 48_000, pal) ?? 0, 48_000, pal)).toBe("10:00:39:03");
  else expect(parsePosition(text, at, 48_000, pal)).toBe(want);
});

test("drop-frame timecode names the frames that there are", () => {
  for (const tc of ["01:00:00;00", "00:01:00;02", "00:10:00;00", "23:59:59;29"])
    expect(timecodeAt(parsePosition(tc, 0, 48_000, drop) ?? -1, 48_000, drop)).toBe(tc);
  expect(parsePosition("00:01:00;00", 0, 48_000, drop)).toBeNull();
});

test.each(["", "12:61:00:00", "10:00:00:25", "1:2:3:4:5", "+", "abc", "+5x", "1:"])("%j is none", (text) => {
  expect(parsePosition(text, 0, 48_000, pal)).toBeNull();
});

const clip = (id: string, tie?: string): Clip => ({ id, at: 100, in: 20, length: 50, name: id, strands: [id], tie });
const track = (id: string, ...clips: Clip[]): Track => ({ id, label: id, layout: "mono", off: false, clips });

test("what is tied is edited together", () => {
  const tracks = [track("a", clip("1", "x"), clip("2", "y")), track("b", clip("3", "x"), clip("4"))];
  expect([...kinOf(tracks, new Set(["1"]))].sort()).toEqual(["1", "3"]);
  expect([...kinOf(tracks, new Set(["4"]))]).toEqual(["4"]);
});

test("a drag is shown as it would be", () => {
  const c = { ...clip("1"), fade_out: { length: 10 } };
  const clips = new Set(["1"]);
  expect(shownAs(c, { kind: "move", clips, by: -7, onto: {} })).toMatchObject({ at: 93, in: 20 });
  expect(shownAs(c, { kind: "trim", clips, edge: "head", by: -99 })).toMatchObject({ at: 80, in: 0, length: 70 });
  expect(shownAs(c, { kind: "trim", clips, edge: "tail", by: -99 }).length).toBe(1);
  expect(shownAs(c, { kind: "fade", clips, end: "in", length: 99 }).fade_in?.length).toBe(40);
  expect(shownAs(clip("2"), { kind: "move", clips, by: 5, onto: {} }).at).toBe(100);
});
