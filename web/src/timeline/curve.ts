import type { Schemas } from "../api/client";

type Curve = Schemas["Curve"];

/** The value of a curve at a place, as it is drawn: straight, smooth (a raised cosine) or held until the next point. */
export function valueAt(curve: Curve, at: number): number {
  let lo = 0;
  let hi = curve.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if ((curve[mid]?.at ?? 0) <= at) lo = mid + 1;
    else hi = mid;
  }
  const a = curve[lo - 1];
  const b = curve[lo];
  if (!a) return b?.value ?? 0;
  if (!b || a.shape === "hold") return a.value;
  const t = (at - a.at) / (b.at - a.at);
  return a.value + (b.value - a.value) * (a.shape === "smooth" ? (1 - Math.cos(Math.PI * t)) / 2 : t);
}

/** The factor of a fade in at so much of its length; a fade out is read backwards. */
export function fadeAt(shape: Schemas["Fade"]["shape"], t: number): number {
  if (t <= 0) return 0;
  if (t >= 1) return 1;
  if (shape === "equal_power") return Math.sin((t * Math.PI) / 2);
  return shape === "raised_cosine" ? (1 - Math.cos(t * Math.PI)) / 2 : t;
}
