import { useMemo } from "react";
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

/** A production with the timecode of one of its reels: the same one until it counts otherwise, however the reel is edited. */
export function useCounted(p: Production, { worked_out }: Reel): Production {
  const { num, den, drop } = worked_out.rate;
  const { rate_name } = worked_out;
  return useMemo(() => ({ ...p, rate: { num, den, drop }, rate_name }), [p, num, den, drop, rate_name]);
}
