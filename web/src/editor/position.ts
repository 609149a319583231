import type { Schemas } from "../api/client";

type Rate = Schemas["Rate"];

/** Samples from midnight to a frame: the first sample that is not before it. */
export function sampleAt(frame: number, sampleRate: number, rate: Rate): number {
  const n = BigInt(frame) * BigInt(sampleRate) * BigInt(rate.den);
  const d = BigInt(rate.num);
  return Number((n + d - 1n) / d);
}

/** The number of a timecode's frame; null where it is none of the rate. */
function frameOf(h: number, m: number, s: number, f: number, rate: Rate): number | null {
  const base = Math.ceil(rate.num / rate.den);
  if (m > 59 || s > 59 || f >= base || h > 47) return null;
  const minutes = 60 * h + m;
  const dropped = rate.drop ? base / 15 : 0;
  if (dropped > 0 && s === 0 && f < dropped && m % 10 !== 0) return null;
  return base * (60 * minutes + s) + f - dropped * (minutes - Math.floor(minutes / 10));
}

/**
 * A position as it is typed, in samples since midnight: timecode from the right ("12:04" is twelve seconds and four
 * frames of the hour and minute that one is at), or an offset from where one is: "+1:00" (seconds and frames), "-12f",
 * "+480s" (samples), "+20ms". Where film's 24 frames are counted, feet and frames too: "120+04" from where the reel begins,
 * "+2+08" from where one is; a foot of 35 mm has 16 frames. null for what is neither.
 */
export function parsePosition(text: string, at: number, sampleRate: number, rate: Rate, begins = 0): number | null {
  const t = text.trim().replace("−", "-");
  const film = /^([+-]?)(\d+)\+(\d{1,2})$/.exec(t);
  if (film) {
    const [, sign, feet, frames] = film;
    if (Math.ceil(rate.num / rate.den) !== 24 || Number(frames) > 15) return null;
    const by = sampleAt(16 * Number(feet) + Number(frames), sampleRate, rate);
    return Math.max(0, sign === "-" ? at - by : sign === "+" ? at + by : begins + by);
  }
  const unit = /^([+-])\s*(\d+(?:\.\d+)?)\s*(f|s|ms)$/.exec(t);
  if (unit) {
    const [, sign, count, of] = unit;
    const n = Number(count);
    const frame = (sampleRate * rate.den) / rate.num;
    const by = of === "s" ? n : of === "ms" ? (n * sampleRate) / 1000 : n * frame;
    return Math.max(0, Math.round(at + (sign === "-" ? -by : by)));
  }
  const m = /^([+-]?)((?:\d+[:;.])*\d+)$/.exec(t);
  if (!m?.[2]) return null;
  const parts = m[2].split(/[:;.]/).map(Number);
  if (parts.length > 4) return null;
  const given = [...Array(4 - parts.length).fill(null), ...parts] as (number | null)[];
  if (m[1]) {
    const [h, mi, s, f] = given.map((v) => v ?? 0) as [number, number, number, number];
    const base = Math.ceil(rate.num / rate.den);
    const by = sampleAt(base * (3600 * h + 60 * mi + s) + f, sampleRate, rate);
    return Math.max(0, m[1] === "-" ? at - by : at + by);
  }
  const here = Math.floor((at * rate.num) / (sampleRate * rate.den) / Math.ceil(rate.num / rate.den));
  const now = [Math.floor(here / 3600), Math.floor(here / 60) % 60, here % 60, 0];
  const [h, mi, s, f] = given.map((v, i) => v ?? now[i] ?? 0) as [number, number, number, number];
  const frame = frameOf(h, mi, s, f, rate);
  return frame === null ? null : sampleAt(frame, sampleRate, rate);
}
