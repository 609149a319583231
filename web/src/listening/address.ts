import type { Hearing } from "./monitor";

/** Where the sound of what is asked for comes from, up to a place or to its end. */
export function address(h: Hearing, speed: number, keepPitch: boolean, to?: number): string {
  const q = new URLSearchParams({ from: String(Math.round(h.loop?.from ?? h.from)) });
  if (h.loop) {
    q.set("to", String(Math.round(h.loop.to)));
    q.set("loop", "true");
  }
  if (to !== undefined) q.set("to", String(Math.round(to)));
  if (speed !== 1) {
    q.set("speed", String(speed));
    q.set("keep_pitch", String(keepPitch));
  }
  if (h.match) q.set("match", "true");
  if ("pair" in h.of) {
    if (h.of.ref) q.set("ref", h.of.ref);
    if (h.of.take) q.set("take", h.of.take);
    return `/api/syncs/${h.of.pair}/sound?${q}`;
  }
  if ("reel" in h.of) {
    const { reel, track, bus, solo, mute, outputs, doing, identify, uncorrected, untreated, gainDb, headphones } = h.of;
    if (uncorrected) q.set("uncorrected", "true");
    if (untreated) q.set("untreated", untreated);
    if (gainDb) q.set("gain_db", String(gainDb));
    if (headphones) q.set("headphones", "true");
    if (doing) q.set("doing", doing);
    if (identify) q.set("identify", "true");
    if (track) q.set("track", track);
    if (bus) q.set("bus", bus);
    if (solo?.length) q.set("solo", solo.join(","));
    if (mute?.length) q.set("mute", mute.join(","));
    if (outputs?.length) q.set("outputs", outputs.join(","));
    return `/api/reels/${reel}/sound?${q}`;
  }
  q.set("of", h.of.strands.join(","));
  if (h.used) q.set("rate", String(h.sampleRate));
  return `/api/sound?${q}`;
}
