import { expect, test } from "vitest";
import { riseAt, scaled } from "./rise";

test("what was not asked for begins at -40 dB and rises evenly", () => {
  expect(riseAt(0)).toBeCloseTo(0.01, 9);
  expect(riseAt(2000)).toBeCloseTo(0.1, 9);
  expect(riseAt(4000)).toBe(1);
  expect(riseAt(1e6)).toBe(1);
  expect(riseAt(-5)).toBeCloseTo(0.01, 9);
  for (let ms = 0; ms < 4000; ms += 100) {
    const step = 20 * Math.log10(riseAt(ms + 100) / riseAt(ms));
    expect(step).toBeCloseTo(1, 6);
  }
  expect(Array.from(scaled(new Float32Array([1, -0.5, 0]), 0.5))).toEqual([0.5, -0.25, 0]);
});
