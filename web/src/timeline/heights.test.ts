import { expect, test } from "vitest";
import type { Reel, Track } from "../api/client";
import { nameHeight, rowsOf } from "./geometry";
import { step } from "./heights";

const reel = { worked_out: { layouts: { mono: ["M"], stereo: ["L", "R"] } } } as unknown as Reel;
const track = (id: string, layout = "mono") => ({ id, layout, clips: [] }) as unknown as Track;

test("tracks of which no height was set fill the window, and are never lower than they need", () => {
  const three = [track("a"), track("b"), track("c")];
  expect(rowsOf(reel, three).map((r) => r.height)).toEqual([48, 48, 48]);
  expect(rowsOf(reel, three, { room: 600 }).map((r) => [r.top, r.height])).toEqual([
    [0, 200],
    [200, 200],
    [400, 200],
  ]);
  expect(rowsOf(reel, three, { room: 600, heights: { b: 6 } }).map((r) => r.height)).toEqual([297, 6, 297]);
  expect(rowsOf(reel, three, { room: 600, heights: { a: 580 } }).map((r) => r.height)).toEqual([580, 48, 48]);
  const wide = rowsOf(reel, [track("a"), track("s", "stereo")], { room: 440 });
  expect((wide[1]?.height ?? 0) / (wide[0]?.height ?? 1)).toBeCloseTo(62 / 48, 1);
  expect(rowsOf(reel, [], { room: 440 })).toEqual([]);
});

test("keys go through heights from a hairline to the window, and stay at either", () => {
  const up = [6];
  while (up.length < 20) up.push(step(up.at(-1) ?? 0, true, 500));
  expect(up.slice(0, 11)).toEqual([6, 20, 32, 48, 72, 96, 144, 216, 324, 500, 500]);
  const down = [500];
  while (down.length < 12) down.push(step(down.at(-1) ?? 0, false, 500));
  expect(down).toEqual([500, 324, 216, 144, 96, 72, 48, 32, 20, 6, 6, 6]);
  expect(step(130, true, 500)).toBe(144);
  expect(step(130, false, 500)).toBe(96);
});

test("clips have their names where there is room", () => {
  expect([6, 20, 48].map((height) => nameHeight({ height }))).toEqual([0, 0, 14]);
});
