import type { Schemas } from "../api/client";
import { envelopeValue, movedPoint, pointNear, withPoint } from "../editor/envelope";
import type { Enveloped } from "../editor/enveloped";
import type { Ghost } from "../editor/ghost";
import { envelopeLane, type Row, sampleOf, type View } from "./geometry";

type Curve = Schemas["Curve"];

/** A point of an envelope that is dragged: the envelope with it, which one it is, and where it was; null for a new one. */
export type Knot = { over: Enveloped; gain: Curve; index: number; was: number | null };

const near = 6; // px from a point that takes it
const edge = 2;

/** The point at a place, in CSS pixels, or a new one there. */
export function takeKnot(over: Enveloped, ghost: Ghost | null, v: View, row: Row, x: number, y: number): Knot {
  const lane = envelopeLane(v, row);
  const at = over.shift + sampleOf(v, x);
  // What was drawn last may still be on its way.
  const drawn = ghost?.kind === "curve" && ghost.clips.has(over.id) ? { ...over.drawn, gain: ghost.gain } : over.drawn;
  const was = drawn.gain ?? [];
  const there = pointNear(was, at, near / v.px);
  if (there >= 0) return { over, gain: was, index: there, was: was[there]?.at ?? null };
  const gain = withPoint(drawn, at, envelopeValue(y, lane.top, lane.height, over.scale), undefined, over.scale);
  return { over, gain, index: pointNear(gain, at, edge / v.px), was: null };
}

/** The envelope with the point carried to a place. */
export function carryKnot(k: Knot, v: View, row: Row, x: number, y: number): Curve {
  const lane = envelopeLane(v, row);
  return movedPoint(
    { ...k.over.drawn, gain: k.gain },
    k.index,
    k.over.shift + sampleOf(v, x),
    envelopeValue(y, lane.top, lane.height, k.over.scale),
    k.over.scale,
  );
}
