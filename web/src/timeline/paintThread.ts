import type { Clip, Schemas } from "../api/client";
import { envelopeY, levels, type Scale } from "../editor/envelope";
import { ofLane, ofSound, overLanes } from "../editor/enveloped";
import { pointsOf } from "../editor/ghost";
import { fadeAt, valueAt } from "./curve";
import { envelopeLane, type Row, soundName, xOf } from "./geometry";
import type { Scene } from "./scene";
import { Reader } from "./wave";

type Curve = Schemas["Curve"];

/**
 * A channel of a clip, or several in one lane, as the thread of its sound: as far as the farthest of them goes, dotted where
 * it is off, tapered by its fades.
 */
export function paintThread(
  g: CanvasRenderingContext2D,
  s: Scene,
  row: Row,
  c: Clip,
  channels: number[],
  colour: string,
  from: number,
  to: number,
  middle: number,
  half: number,
) {
  const { view: v } = s;
  const step = 1 / s.ratio;
  const samples = step / v.px;
  const readers = channels.map((n) => new Reader(s.tiles, soundName(c, n), samples));
  // The extent of all of them, as far as it is here.
  const extent = { lo: 0, hi: 0 };
  const read = (from: number, to: number) => {
    let there = false;
    for (const r of readers) {
      if (!r.read(from, to)) continue;
      extent.lo = there ? Math.min(extent.lo, r.lo) : r.lo;
      extent.hi = there ? Math.max(extent.hi, r.hi) : r.hi;
      there = true;
    }
    return there;
  };
  const close = v.px * s.ratio > 4 && channels.length === 1; // single samples can be told apart: a line through them
  const eye = 2 ** (s.louder[row.track.id] ?? 0);
  const base = s.follow ? 10 ** (((c.gain_db ?? 0) + (row.track.gain_db ?? 0)) / 20) : 1;
  const level = s.follow ? pointsOf(row.track.id, row.track.gain, s.ghost) : [];
  const fadeIn = c.fade_in?.length ?? 0;
  const fadeOut = c.fade_out?.length ?? 0;
  const factor = (at: number) => {
    let f = base;
    if (s.follow && c.gain?.length) f *= 10 ** (valueAt(c.gain, c.in + at - c.at) / 20);
    if (level.length > 0) f *= 10 ** (valueAt(level, at) / 20);
    if (at - c.at < fadeIn) f *= fadeAt(c.fade_in?.shape, (at - c.at) / fadeIn);
    if (c.at + c.length - at < fadeOut) f *= fadeAt(c.fade_out?.shape, (c.at + c.length - at) / fadeOut);
    return f;
  };
  g.fillStyle = colour;
  g.strokeStyle = colour;
  const upper: number[] = [];
  const lower: number[] = [];
  const xs: number[] = [];
  const flush = () => {
    if (xs.length === 0) return;
    g.beginPath();
    if (close) {
      for (const [i, x] of xs.entries()) g.lineTo(x, ((upper[i] ?? 0) + (lower[i] ?? 0)) / 2);
      g.lineWidth = 1.25;
      g.stroke();
    } else {
      for (const [i, x] of xs.entries()) g.lineTo(x, upper[i] ?? 0);
      for (let i = xs.length - 1; i >= 0; i--) g.lineTo((xs[i] ?? 0) + (i === xs.length - 1 ? step : 0), lower[i] ?? 0);
      g.fill();
    }
    xs.length = upper.length = lower.length = 0;
  };
  const dots = new Set<number>();
  const beyond: number[] = [];
  const advance = close ? Math.max(step, v.px) : step;
  const begin = close ? xOf(v, Math.floor(v.from + from / v.px)) + v.px / 2 : Math.floor(from / step) * step;
  for (let x = begin; x < to; x += advance) {
    const at = v.from + x / v.px;
    const inside = c.in + at - c.at;
    if (c.off?.some((o) => inside >= o.from && inside < o.to)) {
      flush();
      dots.add(Math.floor(x / 5));
      continue;
    }
    const end = close ? Math.floor(inside) + 1 : inside + samples;
    const there = read(close ? Math.floor(inside) : inside, end);
    const f = there ? factor(at) : 0;
    const hi = there ? Math.min(1, extent.hi * f * eye) : 0;
    const lo = there ? Math.max(-1, extent.lo * f * eye) : 0;
    // What would be drawn beyond the lane is marked at its edge: it is louder to the eye alone.
    if (eye > 1 && there && (extent.hi * f * eye > 1 || extent.lo * f * eye < -1)) beyond.push(x);
    const spare = close ? 0 : Math.max(0, 0.5 - ((hi - lo) * half) / 2); // a thread is never thinner than a pixel
    xs.push(x);
    upper.push(middle - hi * half - spare);
    lower.push(middle - lo * half + spare);
  }
  flush();
  for (const d of dots) g.fillRect(d * 5, middle - 0.75, 2, 1.5);
  g.fillStyle = s.colours.caution;
  for (const x of beyond) {
    g.fillRect(x, middle - half, advance, 1.5);
    g.fillRect(x, middle + half - 1.5, advance, 1.5);
  }
}

type Lane = { top: number; height: number; scale?: Scale };

/** A citron thread through the points of a curve between two places in pixels; `x` and `at` lead to and from its time. */
function paintCurve(
  g: CanvasRenderingContext2D,
  curve: Curve,
  { top, height, scale }: Lane,
  [from, to]: [number, number],
  x: (at: number) => number,
  at: (x: number) => number,
) {
  g.beginPath();
  const places = new Set([from, to, ...curve.map((p) => x(p.at)).filter((p) => p > from && p < to)]);
  if (scale?.octaves || curve.some((p) => p.shape)) for (let p = from; p < to; p += 4) places.add(p);
  for (const p of [...places].sort((a, b) => a - b)) g.lineTo(p, envelopeY(valueAt(curve, at(p)), top, height, scale));
  g.stroke();
}

/** The level of the point that is carried, beside it on its own ground. */
function paintCarried(
  g: CanvasRenderingContext2D,
  s: Scene,
  id: string,
  { top, height, scale = levels }: Lane,
  x: (at: number) => number,
) {
  const { ghost } = s;
  const p = ghost?.kind === "curve" && ghost.clips.has(id) ? ghost.gain[ghost.index ?? -1] : undefined;
  if (!p) return;
  const text = scale.says(p.value);
  const width = g.measureText(text).width + 8;
  const left = x(p.at) + 8 + width < s.view.width ? x(p.at) + 8 : x(p.at) - 8 - width;
  const middle = Math.min(top + height - 7, Math.max(top + 7, envelopeY(p.value, top, height, scale)));
  g.fillStyle = s.colours.focus;
  g.fillRect(left, middle - 8, width, 16);
  g.fillStyle = s.colours.ground;
  g.fillText(text, left + 4, middle + 0.5);
}

/** A clip's envelope, or its position while positions are drawn: a citron thread with square knots. */
export function paintEnvelope(g: CanvasRenderingContext2D, s: Scene, row: Row, c: Clip, top: number, height: number) {
  const over = ofSound(s.reel, row.track, c, s.drawing);
  const curve = over ? pointsOf(over.id, over.drawn.gain, s.ghost) : [];
  const waits = s.drawing === "places" && curve.length === 0;
  if (!over || (curve.length === 0 && !waits)) return;
  const { view: v } = s;
  const lane = { top, height, scale: over.scale };
  const x = (at: number) => xOf(v, at - over.shift);
  g.strokeStyle = s.colours.focus;
  g.fillStyle = s.colours.focus;
  g.lineWidth = 1;
  const from = Math.max(0, x(c.in));
  const to = Math.min(v.width, x(c.in + c.length));
  g.globalAlpha = waits ? 0.35 : 1;
  const shown = waits ? [{ at: c.in, value: over.rest }] : curve;
  paintCurve(g, shown, lane, [from, to], x, (p) => over.shift + v.from + p / v.px);
  g.globalAlpha = 1;
  for (const p of curve) {
    const px = x(p.at);
    if (px > from - 3 && px < to + 3) g.fillRect(px - 2.5, envelopeY(p.value, top, height, over.scale) - 2.5, 5, 5);
  }
  paintCarried(g, s, over.id, lane, x);
}

/**
 * A track's level over time, or its position while these are drawn: a citron thread through the whole lane, over clips and
 * gaps, with hollow knots. One without points is a still thread that waits to be drawn on, while that is done.
 */
export function paintLane(g: CanvasRenderingContext2D, s: Scene, row: Row) {
  const over = ofLane(s.reel, row.track, s.drawing);
  if (!over) return;
  const drawing = overLanes(s.drawing);
  const curve = pointsOf(over.id, over.drawn.gain, s.ghost);
  if (curve.length === 0 && !drawing) return;
  const { view: v } = s;
  const lane = envelopeLane(v, row);
  const x = (at: number) => xOf(v, at);
  g.save();
  g.strokeStyle = s.colours.focus;
  g.fillStyle = s.colours.ground;
  g.lineWidth = drawing ? 1.5 : 1;
  g.globalAlpha = curve.length === 0 ? 0.35 : drawing ? 1 : 0.7;
  const shown = curve.length > 0 ? curve : [{ at: 0, value: over.rest }];
  paintCurve(g, shown, { ...lane, scale: over.scale }, [0, v.width], x, (p) => v.from + p / v.px);
  for (const p of curve) {
    const px = x(p.at);
    if (px < -4 || px > v.width + 4) continue;
    const y = envelopeY(p.value, lane.top, lane.height, over.scale);
    g.fillRect(px - 3, y - 3, 6, 6);
    g.strokeRect(px - 3, y - 3, 6, 6);
  }
  paintCarried(g, s, over.id, { ...lane, scale: over.scale }, x);
  g.restore();
}

/** Where a chosen clip's fades end: what one takes to change them. */
export function paintKnots(g: CanvasRenderingContext2D, s: Scene, c: Clip, left: number, right: number, top: number) {
  const fadeIn = left + (c.fade_in?.length ?? 0) * s.view.px;
  const fadeOut = right - (c.fade_out?.length ?? 0) * s.view.px;
  if (right - left < 24) return;
  g.fillStyle = s.colours.focus;
  g.fillRect(Math.max(fadeIn, left + 3) - 1, top + 3, 5, 5);
  g.fillRect(Math.min(fadeOut, right - 3) - 4, top + 3, 5, 5);
}
