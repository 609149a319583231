import { expect, test } from "vitest";
import { typedNumber, typedWithin } from "./numbers";

test.each<[string, number | null]>([
  ["-23+2", -21],
  ["−3", -3],
  ["2,5 dB", 2.5],
  ["1.2k", 1200],
  ["1.2 kHz", 1200],
  ["80 Hz + 20", 100],
  ["-23 LUFS - 0.5", -23.5],
  ["1:4", 1], // a ratio is what stands first
  ["+3", 3],
  [".5", 0.5],
  ["1+1-0.1", 1.9],
  ["12 24", null],
  ["", null],
  ["dB", null],
  ["--3", null],
  ["3+", null],
  ["3 x 4", null],
])("%s", (text, v) => {
  expect(typedNumber(text)).toBe(v);
});

test("bounds", () => {
  expect(typedWithin("-23+2", -30, 0)).toBe(-21);
  expect(typedWithin("10+20", -30, 24)).toBeNull();
});
