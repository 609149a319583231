import type { Production, Reel } from "../api/client";
import { timecodeAt } from "../format";
import { position, useMonitor } from "../listening/engine";

/** Pixels of the track heads. */
export const headWidth = 296;

/** Timecode of a place in the production. */
export const timecodeIn = (p: Production, at: number) => timecodeAt(at, p.sample_rate, p.rate);

/** Where the reel sounds now, in samples since midnight; null while it is not heard. */
export function playhead(reel: string): number | null {
  const h = useMonitor.getState().hearing;
  if (!h || h.start === null) return null;
  if (!("reel" in h.of) || h.of.reel !== reel) return null;
  return h.start + position();
}

/** A production with the timecode of one of its reels. */
export const countedIn = (p: Production, { worked_out: { rate, rate_name } }: Reel): Production => ({
  ...p,
  rate,
  rate_name,
});
