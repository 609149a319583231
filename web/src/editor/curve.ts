import type { Schemas } from "../api/client";

type Curve = Schemas["Curve"];

const bounded = (db: number) => Math.round(Math.max(-60, Math.min(12, db)) * 100) / 100;

/**
 * A gain over time with a point at a place, in place of one that lies there. The first point of a curve stands between two
 * of 0 dB, a second away, so that it is a dip and not a level.
 */
export function movedTo(curve: Curve, at: number, value: number, rate: number): Curve {
  const point = { at, value: bounded(value) };
  if (curve.length === 0) {
    const level = (p: number) => ({ at: Math.max(0, p), value: 0 });
    return [...(at > 0 ? [level(at - rate)] : []), point, level(at + rate)];
  }
  return [...curve.filter((p) => p.at !== at), point].sort((a, b) => a.at - b.at);
}

/** A gain over time without the point at a place; without any that does something it is none. */
export function without(curve: Curve, at: number): Curve {
  const left = curve.filter((p) => p.at !== at);
  return left.every((p) => p.value === 0) ? [] : left;
}

/** A point dragged to another place and value, between its neighbours. */
export function dragged(curve: Curve, index: number, at: number, value: number): Curve {
  const low = (curve[index - 1]?.at ?? -1) + 1;
  const high = (curve[index + 1]?.at ?? Number.MAX_SAFE_INTEGER) - 1;
  return curve.map((p, i) =>
    i === index ? { ...p, at: Math.round(Math.max(low, Math.min(high, at))), value: bounded(value) } : p,
  );
}
