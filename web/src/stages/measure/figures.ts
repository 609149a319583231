/** A level as it is written: with a real minus, and a dash where there is none. */
export const level = (v: number | null | undefined, places = 1) =>
  v == null ? "–" : v.toFixed(places).replace("-", "−");
