import { expect, test } from "vitest";
import { chainAt, movable, withCurve } from "./moving";
import type { Chain } from "./treating";

const chain: Chain = {
  high_pass: { hz: 80, slope: 12 },
  bands: [
    { kind: "bell", hz: 900, db: -3, q: 1 },
    { kind: "low_shelf", hz: 100, db: 2, q: 0.7 },
  ],
  compressor: { threshold_db: -24, ratio: 3, knee_db: 6, attack_ms: 8, release_ms: 120, makeup_db: 0 },
};
const ramp = (from: number, to: number) => [
  { at: 0, value: from },
  { at: 100, value: to },
];

test("a chain at a moment has what moves as it is there, and the rest as it stands", () => {
  const here = chainAt(
    chain,
    { band_2: ramp(0, 10), high_pass: ramp(100, 300), low_pass: ramp(1, 2), band_5: ramp(1, 2) },
    50,
  );
  expect(here.bands?.map((b) => b.db)).toEqual([-3, 5]);
  expect(here.high_pass).toEqual({ hz: 200, slope: 12 });
  expect(here.low_pass).toBeUndefined();
  expect(here.compressor).toEqual(chain.compressor);
  expect(chain.bands?.[1]?.db).toBe(2);
});

test("what can move is what is asked for", () => {
  expect(movable(chain, "band_1")?.rest).toBe(-3);
  expect(movable(chain, "compressor")).toMatchObject({ rest: -24, says: "the threshold of the compressor" });
  expect(movable(chain, "high_pass")?.says).toBe("the frequency of the high-pass");
  for (const key of ["band_3", "low_pass", "de_esser", "expander"] as const) expect(movable(chain, key)).toBeNull();
  expect(withCurve({ band_1: ramp(0, 1) }, "band_1", [])).toEqual({});
  expect(withCurve(undefined, "band_1", ramp(0, 1))).toEqual({ band_1: ramp(0, 1) });
});
