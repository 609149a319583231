import type { MeasuredBus } from "../../api/measure";

/** What something that was measured is known by: a group of outputs may have the ID of a bus. */
export const keyOf = (b: MeasuredBus) => (b.role === "outputs" ? `outputs ${b.bus}` : b.bus);

/** A level as it is written: with a real minus, and a dash where there is none. */
export const level = (v: number | null | undefined, places = 1) =>
  v == null ? "–" : v.toFixed(places).replace("-", "−");
