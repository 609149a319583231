import type { Reel, Schemas, Track } from "../../api/client";
import { stemOf, stemsOf } from "../../editor/routes";

/** Tracks in bands: by stem in the weave's order, those without a stem last; within a band as laid. */
export function bands(reel: Reel): Track[] {
  const order = new Map(stemsOf(reel).map((s, i) => [s.id, i]));
  const band = new Map(reel.doc.tracks.map((t) => [t.id, order.get(stemOf(reel, t.id)?.id ?? "") ?? order.size]));
  return reel.doc.tracks
    .map((t, i) => ({ t, i }))
    .sort((a, b) => (band.get(a.t.id) ?? 0) - (band.get(b.t.id) ?? 0) || a.i - b.i)
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
