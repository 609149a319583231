import type { MeasuredBus } from "../../api/measure";

/** What something that was measured is known by: a group of outputs may have the ID of a bus. */
export const keyOf = (b: MeasuredBus) => (b.role === "outputs" ? `outputs ${b.bus}` : b.bus);

/** The columns of loudness and peaks in a table: what, in which unit, and in words. */
export const loudnessHeads = [
  ["I", "LUFS", "integrated loudness"],
  ["LRA", "LU", "loudness range"],
  ["S max", "LUFS", "greatest short-term loudness"],
  ["M max", "LUFS", "greatest momentary loudness"],
  ["TP", "dBTP", "true peak"],
  ["PPM", "mark", "programme meter of type IIa"],
] as const;

/** What stands in them. */
export const loudnessFigures = (b: MeasuredBus) => [
  level(b.integrated_lufs),
  level(b.range_lu),
  level(b.short_term?.value),
  level(b.momentary?.value),
  level(b.true_peak?.value),
  level(b.ppm_mark),
];

/** A level as it is written: with a real minus, and a dash where there is none. */
export const level = (v: number | null | undefined, places = 1) =>
  v == null ? "–" : v.toFixed(places).replace("-", "−");
