import type { Reel, Schemas, Track } from "../../api/client";

/** Tracks in bands: by stem in the weave's order, those without a stem last; within a band as laid. */
export function bands(reel: Reel): Track[] {
  const order = new Map(reel.stems.map((s, i) => [s.id, i]));
  const band = (t: Track) => order.get(reel.routes[t.id]?.stem ?? "") ?? order.size;
  return reel.tracks
    .map((t, i) => ({ t, i }))
    .sort((a, b) => band(a.t) - band(b.t) || a.i - b.i)
    .map(({ t }) => t);
}

/** Samples between the ruler's marks: the finest step of whole frames, seconds or minutes that leaves room for timecode. */
export function tickStep(px: number, sampleRate: number, rate: Schemas["Rate"]): number {
  const frame = (sampleRate * rate.den) / rate.num;
  const second = frame * Math.ceil(rate.num / rate.den);
  const room = 110;
  for (const n of [1, 2, 5, 10]) if (n * frame * px >= room) return n * frame;
  for (const n of [1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600]) if (n * second * px >= room) return n * second;
  return 7200 * second;
}
