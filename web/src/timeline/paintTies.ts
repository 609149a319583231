import { type Row, xOf } from "./geometry";
import { inView, type Scene } from "./scene";

/** The stitches: a fine line of dashes through tied clips at their common edges. */
export function paintTies(g: CanvasRenderingContext2D, s: Scene, rows: Row[]) {
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
