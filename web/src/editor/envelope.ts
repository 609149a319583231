import type { Clip, Schemas } from "../api/client";
import { gain } from "../format";

type Curve = Schemas["Curve"];

/** What an envelope is drawn over, as far as it bounds the points: where it begins, how long it is, and its points. */
export type Drawn = Pick<Clip, "in" | "length" | "gain">;

/** What the height of a lane stands for: a value at its top and at its floor, in which steps it is drawn, and what a key adds. */
export type Scale = {
  top: number;
  floor: number;
  step: number;
  key: number;
  says: (value: number) => string;
  /** Octaves are as high as each other. */
  octaves?: boolean;
  /** What is typed is so many times the value, such as 100 where it is typed in percent. */
  per?: number;
};

/** Levels, in dB. */
export const levels: Scale = { top: 12, floor: -48, step: 0.1, key: 1, says: gain };

/** Positions between left, at the top, and right. */
export const positions: Scale = {
  top: -1,
  floor: 1,
  step: 0.01,
  key: -0.1,
  says: (v) => (Math.abs(v) < 0.005 ? "centre" : `${Math.round(Math.abs(v) * 100)} % ${v < 0 ? "left" : "right"}`),
};

/** Directions, in degrees: straight ahead in the middle, left above it, and what lies behind at either edge. */
export const bearings: Scale = {
  top: 180,
  floor: -180,
  step: 1,
  key: 5,
  says: (v) => (v === 0 ? "ahead" : `${Math.abs(v)}° ${v > 0 ? "left" : "right"}`),
};

/** Gains of bands, in dB. */
export const gains: Scale = { top: 24, floor: -24, step: 0.1, key: 1, says: gain };

/** Thresholds, in dBFS. */
export const thresholds: Scale = { top: 0, floor: -80, step: 0.1, key: 1, says: (v) => `${gain(v)}FS` };

/** Frequencies, in Hz. */
export const pitches: Scale = {
  top: 22000,
  floor: 10,
  step: 1,
  key: 10,
  says: (v) => (v >= 1000 ? `${Number((v / 1000).toFixed(2))} kHz` : `${Math.round(v)} Hz`),
  octaves: true,
};

/** Heights, in degrees over the horizon. */
export const heights: Scale = { top: 90, floor: -90, step: 1, key: 5, says: (v) => `${v}°` };

const angle = (up: string, down: string) => (v: number) => (v === 0 ? "0°" : `${Math.abs(v)}° ${v > 0 ? up : down}`);

/** How far a sound field is tilted and rolled, in degrees. */
export const tilts: Scale = { top: 180, floor: -180, step: 1, key: 5, says: angle("up", "down") };
export const rolls: Scale = { top: 180, floor: -180, step: 1, key: 5, says: angle("left up", "right up") };

/** How far towards the middle, from 0 to all of the way. */
export const inwards: Scale = {
  top: 1,
  floor: 0,
  step: 0.01,
  key: 0.1,
  says: (v) => `${Math.round(v * 100)} %`,
  per: 100,
};

/** Spreads, in degrees. */
export const spreads: Scale = { top: 360, floor: 0, step: 1, key: 10, says: (v) => `${v}°` };

/** What goes to the LFE, in dB. */
export const toLFE: Scale = { top: 0, floor: -60, step: 0.1, key: 1, says: gain };

const clamped = (v: number, { top, floor }: Scale) => Math.max(Math.min(top, floor), Math.min(Math.max(top, floor), v));

const bounded = (v: number, s: Scale) => {
  const steps = Math.round(1 / s.step);
  return Math.round(clamped(v, s) * steps) / steps || 0;
};

const lie = (v: number, s: Scale) => (s.octaves ? Math.log(v) : v);
const stand = (v: number, s: Scale) => (s.octaves ? Math.exp(v) : v);

/** Where a value lies in a lane, in pixels from the top of the page's coordinates. */
export const envelopeY = (value: number, top: number, height: number, s: Scale = levels) =>
  top + (height * (lie(clamped(value, s), s) - lie(s.top, s))) / (lie(s.floor, s) - lie(s.top, s));

/** The value of a place in a lane. */
export const envelopeValue = (y: number, top: number, height: number, s: Scale = levels) =>
  bounded(stand(lie(s.top, s) + ((y - top) / height) * (lie(s.floor, s) - lie(s.top, s)), s), s);

/** An envelope with a point at a place of the strand, in place of one that lies there. Without points it begins level. */
export function withPoint(
  c: Drawn,
  at: number,
  value: number,
  shape?: Curve[number]["shape"],
  scale: Scale = levels,
): Curve {
  const inside = Math.round(Math.max(c.in, Math.min(c.in + c.length - 1, at)));
  const was = c.gain ?? [];
  const here = was.find((p) => p.at === inside);
  const point = { ...here, at: inside, value: bounded(value, scale), ...(shape === undefined ? {} : { shape }) };
  return [...was.filter((p) => p.at !== inside), point].sort((a, b) => a.at - b.at);
}

/** A point moved, between its neighbours. */
export function movedPoint(c: Drawn, index: number, at: number, value: number, scale: Scale = levels): Curve {
  const was = c.gain ?? [];
  const before = was[index - 1]?.at ?? c.in - 1;
  const after = was[index + 1]?.at ?? c.in + c.length;
  const to = Math.round(Math.max(before + 1, Math.min(after - 1, at)));
  return was.map((p, i) => (i === index ? { ...p, at: to, value: bounded(value, scale) } : p));
}

/** The index of the point nearest a place, within so many samples; -1 for none. */
export function pointNear(curve: Curve, at: number, within: number): number {
  let best = -1;
  for (const [i, p] of curve.entries())
    if (Math.abs(p.at - at) <= within && (best < 0 || Math.abs(p.at - at) < Math.abs((curve[best]?.at ?? 0) - at)))
      best = i;
  return best;
}

/** An envelope without the points that it would go through anyway, within a step of its scale. */
export function thinned(curve: Curve, scale: Scale = levels): Curve {
  const out: Curve = [];
  for (const [i, p] of curve.entries()) {
    const a = out.at(-1);
    const b = curve[i + 1];
    const straight = a && b && !a.shape && !p.shape;
    const on = straight ? a.value + ((b.value - a.value) * (p.at - a.at)) / (b.at - a.at) : 0;
    if (!straight || Math.abs(on - p.value) > scale.step) out.push(p);
  }
  return out;
}
