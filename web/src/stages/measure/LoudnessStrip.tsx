import { useEffect, useRef } from "react";
import type { Production } from "../../api/client";
import type { MeasuredBus, Measurement } from "../../api/measure";
import { point, useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { playhead, timecodeIn } from "../../timeline/place";
import { useTheme } from "../../ui/theme";

/** What is drawn: from one tenth of a second to another. */
export type Tenths = { from: number; to: number };

type Props = {
  production: Production;
  reel: string;
  measurement: Measurement;
  bus: MeasuredBus;
  /** Short-term loudness as it was before a correction: a dotted line. */
  before: MeasuredBus["short_term_line"];
  /** The limits are asked of it: where it does not keep them is shown. */
  asked: boolean;
  view: Tenths;
  high: number;
  chosen: boolean;
  onChoose: () => void;
};

const top = 0; // LUFS at the top of a strip
const floor = -50;

/**
 * Loudness over time: short-term as a line, momentary as a faint body, limits as straight threads with their value, true
 * peaks that touch their limit as ticks on top. Where a limit is not kept the cloth is torn.
 */
export function LoudnessStrip({
  production,
  reel,
  measurement: m,
  bus,
  before,
  asked,
  view,
  high,
  chosen,
  onChoose,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const readout = useRef<HTMLOutputElement>(null);
  const theme = useTheme((s) => s.theme);
  const pointer = useEditor((s) => s.pointer);
  const rate = production.sample_rate;
  const tenthAt = (at: number) => ((at - m.start) * 10) / rate;
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext("2d");
    if (!c || !g) return;
    const ratio = window.devicePixelRatio || 1;
    const wide = c.clientWidth;
    c.width = Math.round(wide * ratio);
    c.height = Math.round(high * ratio);
    const style = getComputedStyle(c);
    const colour = (name: string) => style.getPropertyValue(`--${name}`);
    const [line, quiet, ink, focus, bad, good] = ["line", "quiet", "ink", "focus", "bad", "good"].map(colour) as [
      string,
      string,
      string,
      string,
      string,
      string,
    ];
    const y = (v: number) => ((top - Math.max(floor, Math.min(top, v))) / (top - floor)) * (high - 1);
    const x = (tenth: number) => ((tenth - view.from) / (view.to - view.from)) * wide;
    const most = (list: (number | null)[] | undefined, a: number, b: number) => {
      let v = Number.NEGATIVE_INFINITY;
      for (let i = Math.max(0, a); i < Math.min(list?.length ?? 0, b); i++) v = Math.max(v, list?.[i] ?? v);
      return v;
    };
    const limits = m.limits;
    const draw = () => {
      g.setTransform(ratio, 0, 0, ratio, 0, 0);
      g.clearRect(0, 0, wide, high);
      // The faint body of momentary loudness, pixel by pixel.
      const step = (view.to - view.from) / wide;
      g.fillStyle = line;
      for (let px = 0; px < wide; px++) {
        const v = most(bus.momentary_line, Math.floor(view.from + px * step), Math.ceil(view.from + (px + 1) * step));
        if (v > floor) g.fillRect(px, y(v), 1, high - y(v));
      }
      // Torn cloth where a limit is not kept: a zigzag edge over the stretch.
      for (const b of asked ? bus.breaks : []) {
        if (b.what === "true peak") continue;
        const from = x(tenthAt(b.from));
        const to = Math.max(from + 6, x(tenthAt(b.to)));
        if (to < 0 || from > wide) continue;
        const at = y(
          b.what === "momentary loudness" ? (limits.max_momentary_lufs ?? 0) : (limits.max_short_term_lufs ?? 0),
        );
        g.fillStyle = `color-mix(in srgb, ${bad} 28%, transparent)`;
        g.beginPath();
        g.moveTo(from, 0);
        g.lineTo(to, 0);
        for (let k = to, up = true; k > from; k -= 5, up = !up) g.lineTo(Math.max(from, k), at + (up ? 5 : -1));
        g.closePath();
        g.fill();
      }
      // Straight threads: the limits, and the loudness that is asked for.
      const thread = (v: number | undefined, dashed: boolean, c: string) => {
        if (v === undefined || v < floor) return;
        g.strokeStyle = c;
        g.setLineDash(dashed ? [6, 4] : []);
        g.lineWidth = 1;
        g.beginPath();
        g.moveTo(0, Math.round(y(v)) + 0.5);
        g.lineTo(wide, Math.round(y(v)) + 0.5);
        g.stroke();
        g.setLineDash([]);
      };
      thread(limits.integrated_lufs, true, good);
      thread(limits.max_short_term_lufs, false, bad);
      thread(limits.max_momentary_lufs, false, bad);
      if (bus.gate_lufs != null) thread(bus.gate_lufs, true, line);
      g.strokeStyle = quiet;
      g.lineWidth = 1;
      g.setLineDash([1, 3]);
      g.beginPath();
      for (let px = 0; px <= wide && before; px++) {
        const v = most(before, Math.floor(view.from + px * step), Math.ceil(view.from + (px + 1) * step));
        if (v > floor) g.lineTo(px, y(v));
      }
      g.stroke();
      g.setLineDash([]);
      g.strokeStyle = ink;
      g.lineWidth = 1.5;
      g.beginPath();
      let pen = false;
      for (let px = 0; px <= wide; px++) {
        const v = most(bus.short_term_line, Math.floor(view.from + px * step), Math.ceil(view.from + (px + 1) * step));
        if (!(v > floor)) {
          pen = false;
          continue;
        }
        if (pen) g.lineTo(px, y(v));
        else g.moveTo(px, y(v));
        pen = true;
      }
      g.stroke();
      g.fillStyle = bad;
      for (const b of asked ? bus.breaks : []) if (b.what === "true peak") g.fillRect(x(tenthAt(b.at)) - 1, 0, 3, 9);
      // The pointer, and where it sounds.
      g.fillStyle = quiet;
      g.fillRect(Math.round(x(tenthAt(useEditor.getState().pointer))), 0, 1, high);
      const at = playhead(reel);
      if (at !== null) {
        g.fillStyle = focus;
        g.fillRect(Math.round(x(tenthAt(at))), 0, 2, high);
      }
    };
    draw();
    return useMonitor.subscribe(draw);
  }, [m, bus, before, asked, view, high, theme, reel, pointer, rate]);
  const at = (e: { nativeEvent: { offsetX: number }; currentTarget: { clientWidth: number } }) =>
    m.start +
    Math.round(
      ((view.from + (e.nativeEvent.offsetX / e.currentTarget.clientWidth) * (view.to - view.from)) * rate) / 10,
    );
  const scale = [-10, -20, -30, -40];
  return (
    <div className={`flex border-line border-b ${chosen ? "bg-raised" : ""}`}>
      <button type="button" className="w-28 shrink-0 px-3 text-left" aria-pressed={chosen} onClick={onChoose}>
        <span className="block truncate" title={bus.name}>
          {bus.name}
        </span>
        <output ref={readout} className="figures block h-9 whitespace-pre text-quiet text-small" />
      </button>
      <span aria-hidden="true" className="relative w-7 shrink-0" style={{ height: high }}>
        {scale.map((v) => (
          <span
            key={v}
            className="figures absolute right-1 text-quiet text-small"
            style={{ top: ((top - v) / (top - floor)) * high - 9 }}
          >
            {v}
          </span>
        ))}
      </span>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Loudness of ${bus.name} over time`}
        style={{ height: high }}
        className="block min-w-0 flex-1 cursor-crosshair"
        onPointerDown={(e) => {
          onChoose();
          point(at(e));
        }}
        onPointerMove={(e) => {
          const i = Math.floor(tenthAt(at(e)));
          const say = (v: number | null | undefined) => (v == null ? "–" : v.toFixed(1));
          if (readout.current)
            readout.current.textContent = `${timecodeIn(production, at(e))}\nS ${say(bus.short_term_line?.[i])} M ${say(bus.momentary_line?.[i])}`;
        }}
        onPointerLeave={() => {
          if (readout.current) readout.current.textContent = "";
        }}
      />
      <span aria-hidden="true" className="relative w-16 shrink-0" style={{ height: high }}>
        {bus.integrated_lufs != null && (
          <span
            className="figures absolute left-1 text-small"
            style={{ top: Math.max(0, Math.min(high - 18, ((top - bus.integrated_lufs) / (top - floor)) * high - 9)) }}
          >
            I {bus.integrated_lufs.toFixed(1)}
          </span>
        )}
      </span>
    </div>
  );
}
