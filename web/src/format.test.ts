import { describe, expect, test } from "vitest";
import {
  awayInShort,
  bytes,
  count,
  dbfs,
  duration,
  factor,
  fromHome,
  gain,
  plural,
  timecode,
  timecodeAt,
} from "./format";

const r25 = { num: 25, den: 1, drop: false };
const r2398 = { num: 24000, den: 1001, drop: false };
const r2997d = { num: 30000, den: 1001, drop: true };
const r5994d = { num: 60000, den: 1001, drop: true };

describe("timecode, the same as the server's", () => {
  test.each([
    [3830640000, 48000, r25, "22:10:05:00"],
    [48000 * 86400, 48000, r25, "00:00:00:00"],
    [48048, 48000, r2398, "00:00:01:00"],
    [2882880, 48000, r2997d, "00:01:00;02"],
    [28799971, 48000, r2997d, "00:09:59;29"],
    [28799972, 48000, r2997d, "00:10:00;00"],
    [2882880, 48000, r5994d, "00:01:00;04"],
    [192000 * 86399, 192000, r5994d, "23:59:59;05"],
  ])("%i at %i Hz", (samples, hz, rate, want) => {
    expect(timecodeAt(samples, hz, rate)).toBe(want);
  });
  test("wraps at midnight, both ways", () => {
    expect(timecode(25 * 86400, r25)).toBe("00:00:00:00");
    expect(timecode(-1, r25)).toBe("23:59:59:24");
  });
});

test("figures carry their unit and never a hyphen for a minus", () => {
  expect(dbfs(-6.04)).toBe("−6.0");
  expect(dbfs(null)).toBe("-∞");
  expect(dbfs(-0.04)).toBe("0.0");
  expect(dbfs(-10)).toBe("−10.0");
  expect(gain(0)).toBe("0.0 dB");
  expect(gain(3)).toBe("+3.0 dB");
  expect(gain(-4.5)).toBe("−4.5 dB");
  expect(factor(0)).toBe("");
  expect(factor(1)).toBe("0.0");
  expect(factor(Math.SQRT1_2)).toBe("−3.0");
  expect(bytes(999)).toBe("999 B");
  expect(bytes(1_500_000)).toBe("1.5 MB");
  expect(bytes(16_000_000_000)).toBe("16 GB");
  expect(duration(48000 * 67.25, 48000)).toBe("1:07.3");
  expect(count(1234567)).toBe("1\u2009234\u2009567");
  expect(plural(1, "delivery", "deliveries")).toBe("1 delivery");
  expect(plural(0, "delivery", "deliveries")).toBe("0 deliveries");
});

test("how far a strand is from home", () => {
  expect(fromHome(2400, 48000, r25)).toBe("1.25 frames, 50.00 ms late from home");
  expect(fromHome(-1, 48000, r25)).toBe("0.00 frames, 0.02 ms early from home");
  expect(fromHome(0, 48000, r25)).toBe("let go, and at home");
  expect([2400, -1920, 0].map((n) => awayInShort(n, 48000, r25))).toEqual(["▸1.25 f", "◂1.00 f", "◇"]);
});
