import { describe, expect, it } from "vitest";
import type { SyncPair } from "../../api/client";
import { bars, common, framesOf, inTake, inWords, lanes, nudged, together, wholeView, zoomed } from "./view";

const pair = (offset: number, drift: number | null = null) =>
  ({
    ref: { frames: 960000, sample_rate: 48000 },
    take: { frames: 441000, sample_rate: 44100 },
    offset_seconds: offset,
    drift_ppm: drift,
  }) as unknown as SyncPair;

describe("what is seen of a pair", () => {
  it("begins with all that both hear", () => {
    expect(wholeView(pair(4))).toEqual({ centre: 9, span: 10 });
    expect(wholeView(pair(-4))).toEqual({ centre: 3, span: 6 });
    expect(wholeView(pair(100))).toEqual({ centre: 55, span: 110 });
  });
  it("shows the same moment of both, at either rate", () => {
    const f = framesOf(pair(4), { centre: 9, span: 2 });
    expect(f.ref).toEqual({ from: 8 * 48000, to: 10 * 48000 });
    expect(f.take).toEqual({ from: 4 * 44100, to: 6 * 44100 });
  });
  it("takes the drift into account", () => {
    expect(bars(pair(0, 100)).take.to).toBeCloseTo(10 / 1.0001, 9);
    expect(framesOf(pair(0, 100), { centre: 10, span: 2 }).take.from).toBe(Math.round(9 * 1.0001 * 44100));
  });
  it("zooms in steps and stops at the ends", () => {
    expect(zoomed({ centre: 1, span: 10 }, -1).span).toBe(4);
    expect(zoomed({ centre: 1, span: 10 }, 1).span).toBe(15);
    expect(zoomed({ centre: 1, span: 0.001 }, -1).span).toBe(0.001);
  });
  it("says times in words", () => {
    expect(inWords(7211)).toBe("2 h 11 s");
    expect(inWords(-0.0185)).toBe("−18.50 ms");
    expect(inWords(75.25)).toBe("1 min 15.250 s");
    expect(inWords(0)).toBe("0");
  });
});

describe("recordings that hang together", () => {
  const rec = (id: string, seconds: number, more: object = {}) => ({
    id,
    name: id,
    frames: seconds * 48000,
    sample_rate: 48000,
    roll: "A1",
    camera: "",
    day: "d",
    start: null,
    ...more,
  });
  const cam = rec("cam", 60, { camera: "CAM", roll: "" });
  const of = (ref: object, take: object, offset: number, more: object = {}) =>
    ({
      id: `${JSON.stringify(ref)}`,
      ref,
      take,
      offset_seconds: offset,
      offset_samples: offset * 48000,
      nudge: 0,
      drift_ppm: null,
      by: "sound",
      state: "aligned",
      ...more,
    }) as unknown as SyncPair;
  const one = rec("one", 14, { start: 48000 * 100 });
  const two = rec("two", 14, { start: 48000 * 120 });
  const three = rec("three", 5, { start: 48000 * 400 });
  const pairs = [of(one, cam, -2), of(two, cam, -22), of(three, rec("other", 3), 0, { state: "none", by: "" })];
  const [first] = pairs as [SyncPair];
  it("stand on one line, each where it was found", () => {
    expect(together(pairs, first).map((b) => [b.id, b.from, b.to, b.by])).toEqual([
      ["cam", -2, 58, "pair"],
      ["one", 0, 14, "pair"],
      ["two", 20, 34, "sound"],
    ]);
  });
  it("stand in a lane for each recorder or camera", () => {
    expect(lanes(together(pairs, first), first).map((l) => [l.name, l.bars.map((b) => b.id)])).toEqual([
      ["A1", ["one", "two"]],
      ["CAM", ["cam"]],
    ]);
  });
  it("move by hand", () => {
    expect(nudged(first, 480).offset_seconds).toBeCloseTo(-1.99, 12);
    expect(nudged(first, 0)).toBe(first);
    expect(inTake(first, 0)).toBe(2);
    expect(common(first)).toEqual({ from: 0, to: 14 });
    expect(common(of(one, cam, 500))).toBeNull();
  });
});
