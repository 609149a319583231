import type { MeasuredBus, Measurement } from "../../api/measure";

/** What is drawn: from one tenth of a second to another. */
export type Tenths = { from: number; to: number };

/** LUFS at the top and the bottom of a strip. */
export const stripTop = 0;
export const stripFloor = -50;

/** dB at the top and the bottom of a slow gain that is drawn over a strip. */
export const gainTop = 6;
export const gainFloor = -18;

export const gainY = (db: number, high: number) =>
  ((gainTop - Math.max(gainFloor, Math.min(gainTop, db))) / (gainTop - gainFloor)) * (high - 1);
export const gainAt = (y: number, high: number) => gainTop - (y / (high - 1)) * (gainTop - gainFloor);

/** The colours of the theme at an element. */
export function coloursAt(c: Element) {
  const style = getComputedStyle(c);
  const of = (name: string) => style.getPropertyValue(`--${name}`);
  return {
    line: of("line"),
    quiet: of("quiet"),
    ink: of("ink"),
    focus: of("focus"),
    bad: of("bad"),
    good: of("good"),
    caution: of("caution"),
  };
}

/** Makes a canvas as fine as the screen, and gives what draws on it in pixels of the page. */
export function fitted(c: HTMLCanvasElement, high: number): CanvasRenderingContext2D | null {
  const ratio = window.devicePixelRatio || 1;
  c.width = Math.round(c.clientWidth * ratio);
  c.height = Math.round(high * ratio);
  const g = c.getContext("2d");
  g?.setTransform(ratio, 0, 0, ratio, 0, 0);
  return g;
}

type Strip = {
  measurement: Measurement;
  bus: MeasuredBus;
  rate: number;
  view: Tenths;
  wide: number;
  high: number;
};

/**
 * Draws what stands still of loudness over time: short-term as a line, momentary as a faint body, what was before a
 * correction as a dotted line, limits as straight threads, and torn cloth where one is not kept; true peaks that pass theirs
 * are ticks on top.
 */
export function paintStrip(
  g: CanvasRenderingContext2D,
  colours: ReturnType<typeof coloursAt>,
  { measurement: m, bus, rate, view, wide, high }: Strip,
) {
  const { line, quiet, ink, bad, good } = colours;
  const y = (v: number) =>
    ((stripTop - Math.max(stripFloor, Math.min(stripTop, v))) / (stripTop - stripFloor)) * (high - 1);
  const x = (tenth: number) => ((tenth - view.from) / (view.to - view.from)) * wide;
  const tenthAt = (at: number) => ((at - m.start) * 10) / rate;
  const step = (view.to - view.from) / wide;
  const most = (list: (number | null)[] | undefined, px: number) => {
    const [a, b] = [Math.floor(view.from + px * step), Math.ceil(view.from + (px + 1) * step)];
    let v = Number.NEGATIVE_INFINITY;
    for (let i = Math.max(0, a); i < Math.min(list?.length ?? 0, b); i++) v = Math.max(v, list?.[i] ?? v);
    return v;
  };
  g.clearRect(0, 0, wide, high);
  g.fillStyle = line;
  for (let px = 0; px < wide; px++) {
    const v = most(bus.momentary_line, px);
    if (v > stripFloor) g.fillRect(px, y(v), 1, high - y(v));
  }
  const limits = bus.limits;
  for (const b of limits ? bus.breaks : []) {
    if (b.what === "true peak") continue;
    const from = x(tenthAt(b.from));
    const to = Math.max(from + 6, x(tenthAt(b.to)));
    if (to < 0 || from > wide) continue;
    const most = b.what === "momentary loudness" ? limits?.max_momentary_lufs : limits?.max_short_term_lufs;
    const at = y(most ?? 0);
    g.fillStyle = `color-mix(in srgb, ${bad} 28%, transparent)`;
    g.beginPath();
    g.moveTo(from, 0);
    g.lineTo(to, 0);
    for (let k = to, up = true; k > from; k -= 5, up = !up) g.lineTo(Math.max(from, k), at + (up ? 5 : -1));
    g.closePath();
    g.fill();
  }
  const thread = (v: number | undefined | null, dashes: number[], c: string) => {
    if (v == null || v < stripFloor) return;
    g.strokeStyle = c;
    g.setLineDash(dashes);
    g.lineWidth = 1;
    g.beginPath();
    g.moveTo(0, Math.round(y(v)) + 0.5);
    g.lineTo(wide, Math.round(y(v)) + 0.5);
    g.stroke();
    g.setLineDash([]);
  };
  thread(limits?.integrated_lufs, [6, 4], good);
  thread(limits?.max_short_term_lufs, [], bad);
  thread(limits?.max_momentary_lufs, [], bad);
  thread(bus.gate_lufs, [2, 4], quiet);
  const curve = (list: (number | null)[] | undefined, c: string, width: number, dashes: number[]) => {
    g.strokeStyle = c;
    g.lineWidth = width;
    g.setLineDash(dashes);
    g.beginPath();
    let pen = false;
    for (let px = 0; px <= wide; px++) {
      const v = most(list, px);
      if (v > stripFloor) {
        if (pen) g.lineTo(px, y(v));
        else g.moveTo(px, y(v));
      }
      pen = v > stripFloor;
    }
    g.stroke();
    g.setLineDash([]);
  };
  if (bus.before?.short_term_line) curve(bus.before.short_term_line, quiet, 1, [1, 3]);
  curve(bus.short_term_line, ink, 1.5, []);
  g.fillStyle = bad;
  for (const b of limits ? bus.breaks : []) if (b.what === "true peak") g.fillRect(x(tenthAt(b.at)) - 1, 0, 3, 9);
}
