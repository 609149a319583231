import type { Clip } from "../api/client";
import { stemOf } from "../editor/routes";
import { kindOf } from "../ui/stems";
import { nameHeight, type Row, rowsIn, xOf } from "./geometry";
import { paintEnvelope, paintKnots, paintLane, paintThread } from "./paintThread";
import { paintTies } from "./paintTies";
import { inView, type Scene } from "./scene";

export type { Scene };

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
    paintLane(g, s, row);
  }
  paintTies(g, s, rows);
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
  const names = nameHeight(row);
  g.fillStyle = chosen ? colours.raised : colours.panel;
  g.fillRect(a, top, b - a, height);
  if (b - a < 3) {
    g.fillStyle = colour;
    g.fillRect(a, top + names, Math.max(1, b - a - 0.5), height - names);
    return;
  }
  const lanes = row.folded ? 1 : row.channels.length;
  const lane = (height - names) / lanes;
  g.save();
  g.beginPath();
  g.rect(a, top, b - a, height);
  g.clip();
  g.globalAlpha = row.track.off ? 0.5 : 1;
  for (let n = 0; n < lanes; n++) {
    if (n >= c.strands.length && c.strands.length > 1) continue;
    const middle = top + names + lane * (n + 0.5);
    if (middle + lane < 0 || middle - lane > v.height) continue;
    const channels = row.folded ? c.strands.map((_, k) => k) : [n];
    paintThread(
      g,
      s,
      row,
      c,
      channels,
      colour,
      Math.max(0, left),
      Math.min(v.width, right),
      middle,
      Math.max(0.5, lane / 2 - 1),
    );
  }
  g.globalAlpha = 1;
  paintEnvelope(g, s, row, c, top + names, height - names);
  g.fillStyle = colour;
  g.fillRect(left, top, 2, height);
  g.globalAlpha = 0.6;
  g.fillRect(right - 1, top, 1, height);
  g.globalAlpha = 1;
  if (chosen) {
    g.fillStyle = colours.focus;
    g.fillRect(a, top, b - a, 1);
    g.fillRect(a, top + height - 1, b - a, 1);
    paintKnots(g, s, c, left, right, top + names);
  }
  if (names > 0) paintName(g, s, c, Math.max(a, 0) + 4, b - 3, top + names / 2);
  g.restore();
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
