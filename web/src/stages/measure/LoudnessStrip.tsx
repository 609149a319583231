import { type ReactNode, useEffect, useRef } from "react";
import type { Production } from "../../api/client";
import type { MeasuredBus, Measurement } from "../../api/measure";
import { point, useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { playhead, timecodeIn } from "../../timeline/place";
import { useTheme } from "../../ui/theme";
import { keyOf, level } from "./figures";
import { coloursAt, fitted, paintStrip, stripFloor, stripTop, type Tenths } from "./paintStrip";

type Props = {
  production: Production;
  reel: string;
  measurement: Measurement;
  bus: MeasuredBus;
  view: Tenths;
  high: number;
  chosen: boolean;
  onChoose: () => void;
  /** Where the pointer is over any strip, in tenths of a second; null for nowhere. */
  over: number | null;
  onOver: (tenth: number | null) => void;
  /** Drawn over the strip. */
  children?: ReactNode;
};

/** Loudness over time of one bus: what stands still is drawn once, the pointer and what sounds over it. */
export function LoudnessStrip(props: Props) {
  const { production, reel, measurement: m, bus, view, high, chosen, onChoose, over, onOver, children } = props;
  const still = useRef<HTMLCanvasElement>(null);
  const moving = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  const pointer = useEditor((s) => s.pointer);
  const rate = production.sample_rate;
  useEffect(() => {
    const c = still.current;
    const g = c && fitted(c, high);
    if (c && g) paintStrip(g, coloursAt(c), { measurement: m, bus, rate, view, wide: c.clientWidth, high });
  }, [m, bus, view, high, theme, rate]);
  useEffect(() => {
    const c = moving.current;
    const g = c && fitted(c, high);
    if (!c || !g) return;
    const { quiet, focus } = coloursAt(c);
    const x = (at: number) => (((at - m.start) * 10) / rate - view.from) * (c.clientWidth / (view.to - view.from));
    let last = "";
    const draw = () => {
      const at = playhead(reel);
      const [p, s] = [Math.round(x(pointer)), at === null ? null : Math.round(x(at))];
      if (`${p} ${s}` === last) return;
      last = `${p} ${s}`;
      g.clearRect(0, 0, c.clientWidth, high);
      g.fillStyle = quiet;
      g.fillRect(p, 0, 1, high);
      g.fillStyle = focus;
      if (s !== null) g.fillRect(s, 0, 2, high);
    };
    draw();
    return useMonitor.subscribe(draw);
  }, [m.start, view, high, theme, reel, pointer, rate]);
  const tenth = (e: { nativeEvent: { offsetX: number }; currentTarget: { clientWidth: number } }) =>
    view.from + (e.nativeEvent.offsetX / e.currentTarget.clientWidth) * (view.to - view.from);
  const at = (t: number) => m.start + Math.round((t * rate) / 10);
  const i = over === null ? null : Math.floor(over);
  return (
    <div className={`flex border-line border-b ${chosen ? "bg-raised" : ""}`}>
      <button type="button" className="w-36 shrink-0 px-3 text-left" aria-pressed={chosen} onClick={onChoose}>
        <span className="block truncate" title={bus.name}>
          {bus.name}
        </span>
        <output className="figures block whitespace-pre text-quiet text-small">
          {i !== null &&
            `${timecodeIn(production, at(i))}\nS ${level(bus.short_term_line?.[i])}  M ${level(bus.momentary_line?.[i])}\nTP ${level(bus.peak_line?.[i])}`}
        </output>
      </button>
      <span aria-hidden="true" className="relative w-7 shrink-0" style={{ height: high }}>
        {[-10, -20, -30, -40].map((v) => (
          <span
            key={v}
            className="figures absolute right-1 text-quiet text-small"
            style={{ top: ((stripTop - v) / (stripTop - stripFloor)) * high - 9 }}
          >
            {v}
          </span>
        ))}
      </span>
      <span className="relative min-w-0 flex-1">
        <canvas
          ref={still}
          data-strip={keyOf(bus)}
          role="img"
          aria-label={`Loudness of ${bus.name} over time`}
          style={{ height: high }}
          className="block w-full cursor-crosshair"
          onPointerDown={(e) => {
            onChoose();
            point(at(tenth(e)));
          }}
          onPointerMove={(e) => onOver(tenth(e))}
          onPointerLeave={() => onOver(null)}
        />
        <canvas ref={moving} style={{ height: high }} className="pointer-events-none absolute inset-0 block w-full" />
        {children}
      </span>
      <span aria-hidden="true" className="relative w-20 shrink-0" style={{ height: high }}>
        {bus.integrated_lufs != null && (
          <span
            className="figures absolute left-1 whitespace-nowrap text-small"
            style={{
              top: Math.max(
                0,
                Math.min(high - 36, ((stripTop - bus.integrated_lufs) / (stripTop - stripFloor)) * high - 9),
              ),
            }}
          >
            I {level(bus.integrated_lufs)}
            <span className="block text-quiet">LRA {level(bus.range_lu)}</span>
          </span>
        )}
      </span>
    </div>
  );
}
