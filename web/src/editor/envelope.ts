import type { Clip, Schemas } from "../api/client";

type Curve = Schemas["Curve"];

/** What an envelope is drawn over, as far as it bounds the points: where it begins, how long it is, and its points. */
export type Drawn = Pick<Clip, "in" | "length" | "gain">;

/** Bounds of an envelope that is drawn, in dB. */
export const envelopeTop = 12;
export const envelopeFloor = -48;

const bounded = (db: number) => Math.round(Math.max(envelopeFloor, Math.min(envelopeTop, db)) * 10) / 10;

/** Where a level lies in a clip's lane, in pixels from the top of the page's coordinates. */
export const envelopeY = (db: number, top: number, height: number) =>
  top +
  height * (1 - (Math.max(envelopeFloor, Math.min(envelopeTop, db)) - envelopeFloor) / (envelopeTop - envelopeFloor));

/** The level of a place in a clip's lane. */
export const envelopeDb = (y: number, top: number, height: number) =>
  bounded(envelopeFloor + (1 - (y - top) / height) * (envelopeTop - envelopeFloor));

/** An envelope with a point at a place of the strand, in place of one that lies there. Without points it begins level. */
export function withPoint(c: Drawn, at: number, value: number, shape?: Curve[number]["shape"]): Curve {
  const inside = Math.round(Math.max(c.in, Math.min(c.in + c.length - 1, at)));
  const was = c.gain ?? [];
  const here = was.find((p) => p.at === inside);
  const point = { ...here, at: inside, value: bounded(value), ...(shape === undefined ? {} : { shape }) };
  return [...was.filter((p) => p.at !== inside), point].sort((a, b) => a.at - b.at);
}

/** A point moved, between its neighbours. */
export function movedPoint(c: Drawn, index: number, at: number, value: number): Curve {
  const was = c.gain ?? [];
  const before = was[index - 1]?.at ?? c.in - 1;
  const after = was[index + 1]?.at ?? c.in + c.length;
  const to = Math.round(Math.max(before + 1, Math.min(after - 1, at)));
  return was.map((p, i) => (i === index ? { ...p, at: to, value: bounded(value) } : p));
}

/** The index of the point nearest a place, within so many samples; -1 for none. */
export function pointNear(curve: Curve, at: number, within: number): number {
  let best = -1;
  for (const [i, p] of curve.entries())
    if (Math.abs(p.at - at) <= within && (best < 0 || Math.abs(p.at - at) < Math.abs((curve[best]?.at ?? 0) - at)))
      best = i;
  return best;
}

/** An envelope without the points that it would go through anyway, within a tenth of a dB. */
export function thinned(curve: Curve): Curve {
  const out: Curve = [];
  for (const [i, p] of curve.entries()) {
    const a = out.at(-1);
    const b = curve[i + 1];
    const straight = a && b && !a.shape && !p.shape;
    const on = straight ? a.value + ((b.value - a.value) * (p.at - a.at)) / (b.at - a.at) : 0;
    if (!straight || Math.abs(on - p.value) > 0.1) out.push(p);
  }
  return out;
}
