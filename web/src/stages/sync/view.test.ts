import { describe, expect, it } from "vitest";
import type { SyncPair } from "../../api/client";
import { bars, framesOf, inWords, wholeView, zoomed } from "./view";

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
    expect(zoomed({ centre: 1, span: 0.01 }, -1).span).toBe(0.01);
  });
  it("says times in words", () => {
    expect(inWords(7211)).toBe("2 h 11 s");
    expect(inWords(-0.0185)).toBe("−18.50 ms");
    expect(inWords(75.25)).toBe("1 min 15.250 s");
    expect(inWords(0)).toBe("0");
  });
});
