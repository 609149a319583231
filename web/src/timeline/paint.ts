import type { Clip, Reel } from "../api/client";
import { envelopeY } from "../editor/envelope";
import { type Ghost, shownAs } from "../editor/ghost";
import { stemOf } from "../editor/routes";
import { kindOf } from "../ui/stems";
import type { Colours } from "./colours";
import { fadeAt, valueAt } from "./curve";
import { clipsIn, nameHeight, type Row, rowsIn, soundName, type View, xOf } from "./geometry";
import type { Tiles } from "./tiles";
import { Reader } from "./wave";

/** All that the lanes are drawn from. */
export type Scene = {
  reel: Reel;
  rows: Row[];
  view: View;
  colours: Colours;
  tiles: Tiles;
  chosen: ReadonlySet<string>;
  tracks: readonly string[];
  ghost: Ghost | null;
  follow: boolean;
  /** What is said of a clip that is not at home; empty for one that is. */
  away: (c: Clip) => string;
  ratio: number;
};

const small = 12; // px of text

/** The ground: rows, and the bands between stems. */
export function paintGround(g: CanvasRenderingContext2D, s: Scene) {
  const { view: v, colours: c } = s;
  g.fillStyle = c.ground;
  g.fillRect(0, 0, v.width, v.height);
  let band: string | undefined;
  for (const [i, row] of s.rows.entries()) {
    const stem = stemOf(s.reel, row.track.id)?.id;
    const y = row.top - v.top;
    if (y + row.height > 0 && y < v.height) {
      if (s.tracks.includes(row.track.id)) {
        g.fillStyle = c.raised;
        g.globalAlpha = 0.5;
        g.fillRect(0, y, v.width, row.height);
        g.globalAlpha = 1;
      }
      g.fillStyle = c.line;
      g.globalAlpha = i > 0 && stem !== band ? 1 : 0.35;
      g.fillRect(0, y, v.width, 1);
      g.globalAlpha = 1;
    }
    band = stem;
  }
}

/** The clips of the rows in view. */
export function paintClips(g: CanvasRenderingContext2D, s: Scene) {
  const { view: v } = s;
  const to = v.from + v.width / v.px;
  g.font = `${small}px ${s.colours.font}`;
  g.textBaseline = "middle";
  const rows = rowsIn(s.rows, v.top, v.height);
  for (const row of rows) {
    const colour = row.track.off ? s.colours.quiet : s.colours.stem(kindOf(stemOf(s.reel, row.track.id)));
    for (const c of inView(s, row, v.from, to)) paintClip(g, s, row, c, colour);
  }
  paintTies(g, s, rows);
}

/** The clips of a row as they are shown, those that are dragged onto it with them. */
function inView(s: Scene, row: Row, from: number, to: number): Clip[] {
  const { ghost } = s;
  if (!ghost) return clipsIn(row.track.clips, from, to);
  if (ghost.kind !== "move") {
    return row.track.clips.map((c) => shownAs(c, ghost)).filter((c) => c.at < to && c.at + c.length > from);
  }
  const out: Clip[] = [];
  for (const other of s.rows) {
    const onto = ghost.onto[other.track.id] ?? other.track.id;
    if (other !== row && onto !== row.track.id) continue;
    for (const c of other.track.clips) {
      const moved = ghost.clips.has(c.id);
      const here = moved && s.chosen.has(c.id) ? onto === row.track.id : other === row;
      if (here) out.push(shownAs(c, ghost));
    }
  }
  return out.filter((c) => c.at < to && c.at + c.length > from);
}

function paintClip(g: CanvasRenderingContext2D, s: Scene, row: Row, c: Clip, colour: string) {
  const { view: v, colours } = s;
  const left = xOf(v, c.at);
  const right = xOf(v, c.at + c.length);
  const a = Math.max(-4, left);
  const b = Math.min(v.width + 4, Math.max(right, left + 1));
  const top = row.top - v.top + 1;
  const height = row.height - 2;
  const chosen = s.chosen.has(c.id);
  g.fillStyle = chosen ? colours.raised : colours.panel;
  g.fillRect(a, top, b - a, height);
  if (b - a < 3) {
    g.fillStyle = colour;
    g.fillRect(a, top + nameHeight, Math.max(1, b - a - 0.5), height - nameHeight);
    return;
  }
  const lanes = Math.min(8, row.channels.length);
  const lane = (height - nameHeight) / lanes;
  g.save();
  g.beginPath();
  g.rect(a, top, b - a, height);
  g.clip();
  g.globalAlpha = row.track.off ? 0.5 : 1;
  for (let n = 0; n < lanes; n++) {
    if (n >= c.strands.length && c.strands.length > 1) continue;
    const middle = top + nameHeight + lane * (n + 0.5);
    paintThread(g, s, c, n, colour, Math.max(0, left), Math.min(v.width, right), middle, lane / 2 - 1);
  }
  g.globalAlpha = 1;
  paintEnvelope(g, s, c, top + nameHeight, height - nameHeight);
  g.fillStyle = colour;
  g.fillRect(left, top, 2, height);
  g.globalAlpha = 0.6;
  g.fillRect(right - 1, top, 1, height);
  g.globalAlpha = 1;
  if (chosen) {
    g.fillStyle = colours.focus;
    g.fillRect(a, top, b - a, 1);
    g.fillRect(a, top + height - 1, b - a, 1);
    paintKnots(g, s, c, left, right, top + nameHeight);
  }
  paintName(g, s, c, Math.max(a, 0) + 4, b - 3, top + nameHeight / 2);
  g.restore();
}

/** A channel of a clip as the thread of its sound: dotted where it is off, tapered by its fades. */
function paintThread(
  g: CanvasRenderingContext2D,
  s: Scene,
  c: Clip,
  channel: number,
  colour: string,
  from: number,
  to: number,
  middle: number,
  half: number,
) {
  const { view: v } = s;
  const step = 1 / s.ratio;
  const samples = step / v.px;
  const strand = soundName(c, channel);
  const reader = new Reader(s.tiles, strand, samples);
  const close = v.px * s.ratio > 4; // single samples can be told apart: a line through them
  const base = s.follow ? 10 ** ((c.gain_db ?? 0) / 20) : 1;
  const fadeIn = c.fade_in?.length ?? 0;
  const fadeOut = c.fade_out?.length ?? 0;
  const factor = (at: number) => {
    let f = base;
    if (s.follow && c.gain?.length) f *= 10 ** (valueAt(c.gain, c.in + at - c.at) / 20);
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
    const there = reader.read(close ? Math.floor(inside) : inside, end);
    const f = there ? factor(at) : 0;
    const hi = there ? Math.min(1, reader.hi * f) : 0;
    const lo = there ? Math.max(-1, reader.lo * f) : 0;
    const spare = close ? 0 : Math.max(0, 0.5 - ((hi - lo) * half) / 2); // a thread is never thinner than a pixel
    xs.push(x);
    upper.push(middle - hi * half - spare);
    lower.push(middle - lo * half + spare);
  }
  flush();
  for (const d of dots) g.fillRect(d * 5, middle - 0.75, 2, 1.5);
}

/** A clip's envelope: a citron thread with square knots. */
function paintEnvelope(g: CanvasRenderingContext2D, s: Scene, c: Clip, top: number, height: number) {
  const curve = c.gain;
  if (!curve || curve.length === 0) return;
  const { view: v } = s;
  const x = (at: number) => xOf(v, c.at + at - c.in);
  g.strokeStyle = s.colours.focus;
  g.fillStyle = s.colours.focus;
  g.lineWidth = 1;
  g.beginPath();
  const from = Math.max(0, x(c.in));
  const to = Math.min(v.width, x(c.in + c.length));
  const places = new Set([from, to, ...curve.map((p) => x(p.at)).filter((p) => p > from && p < to)]);
  if (curve.some((p) => p.shape)) for (let p = from; p < to; p += 4) places.add(p);
  for (const p of [...places].sort((a, b) => a - b))
    g.lineTo(p, envelopeY(valueAt(curve, c.in + v.from + p / v.px - c.at), top, height));
  g.stroke();
  for (const p of curve) {
    const px = x(p.at);
    if (px > from - 3 && px < to + 3) g.fillRect(px - 2.5, envelopeY(p.value, top, height) - 2.5, 5, 5);
  }
}

/** Where a chosen clip's fades end: what one takes to change them. */
function paintKnots(g: CanvasRenderingContext2D, s: Scene, c: Clip, left: number, right: number, top: number) {
  const fadeIn = left + (c.fade_in?.length ?? 0) * s.view.px;
  const fadeOut = right - (c.fade_out?.length ?? 0) * s.view.px;
  if (right - left < 24) return;
  g.fillStyle = s.colours.focus;
  g.fillRect(Math.max(fadeIn, left + 3) - 1, top + 3, 5, 5);
  g.fillRect(Math.min(fadeOut, right - 3) - 4, top + 3, 5, 5);
}

/** A clip's name on its own ground, and what is to be known of it in tickets. */
function paintName(g: CanvasRenderingContext2D, s: Scene, c: Clip, from: number, to: number, middle: number) {
  const { colours } = s;
  let x = from;
  const ticket = (text: string, ground: string, ink: string) => {
    const width = g.measureText(text).width + 10;
    if (x + width > to) return;
    g.fillStyle = ground;
    g.beginPath();
    g.moveTo(x, middle - 6);
    g.lineTo(x + width - 4, middle - 6);
    g.lineTo(x + width, middle - 2);
    g.lineTo(x + width, middle + 6);
    g.lineTo(x, middle + 6);
    g.fill();
    g.fillStyle = ink;
    g.fillText(text, x + 4, middle + 0.5);
    x += width + 4;
  };
  const away = s.away(c);
  if (away) ticket(away, colours.caution, colours.ground);
  if (c.unplaced) ticket("no start", colours.caution, colours.ground);
  if (c.invert) ticket("inverted", colours.line, colours.ink);
  if (c.gain_db) ticket(`${c.gain_db > 0 ? "+" : "−"}${Math.abs(c.gain_db).toFixed(1)} dB`, colours.line, colours.ink);
  if (c.note) ticket("note", colours.line, colours.ink);
  const room = to - x;
  if (room < 14) return;
  g.fillStyle = colours.quiet;
  let name = c.name;
  while (name.length > 1 && g.measureText(name).width > room) name = `${name.slice(0, name.endsWith("…") ? -2 : -1)}…`;
  g.fillText(name, x, middle + 0.5);
}

/** The stitches: a fine line of dashes through tied clips at their common edges. */
function paintTies(g: CanvasRenderingContext2D, s: Scene, rows: Row[]) {
  const { view: v } = s;
  const to = v.from + v.width / v.px;
  type Stitch = { top: number; bottom: number; chosen: boolean; n: number };
  const stitches = new Map<string, Stitch>();
  for (const row of rows) {
    for (const clip of inView(s, row, v.from, to)) {
      if (!clip.tie || s.away(clip)) continue;
      for (const at of [clip.at, clip.at + clip.length]) {
        const key = `${clip.tie}/${at}`;
        const y = row.top - v.top;
        const t = stitches.get(key) ?? { top: y, bottom: y, chosen: false, n: 0 };
        t.top = Math.min(t.top, y);
        t.bottom = Math.max(t.bottom, y + row.height);
        t.chosen ||= s.chosen.has(clip.id);
        t.n++;
        stitches.set(key, t);
      }
    }
  }
  g.save();
  g.setLineDash([3, 3]);
  g.lineWidth = 1;
  for (const [key, t] of stitches) {
    if (t.n < 2) continue;
    const x = Math.round(xOf(v, Number(key.slice(key.lastIndexOf("/") + 1)))) + 0.5;
    g.strokeStyle = t.chosen ? s.colours.focus : s.colours.quiet;
    g.globalAlpha = t.chosen ? 1 : 0.45;
    g.beginPath();
    g.moveTo(x, t.top);
    g.lineTo(x, t.bottom);
    g.stroke();
  }
  g.restore();
}
