import { memo, useEffect, useRef } from "react";
import type { Reel } from "../../api/client";
import { hearOutputs } from "../../editor/heard";
import { useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { useTheme } from "../../ui/theme";
import { cell } from "./Crossing";
import { chooseOutput, useWeaveChoice } from "./choice";
import { outputHead } from "./words";

const floor = -60; // dB
const high = 60; // px
const row = 4; // px of a woven row
const part = (v: number) => (v > 0 ? Math.max(0, Math.min(1, 1 - (20 * Math.log10(v)) / floor)) : 0);

/**
 * The woven edge: above every output's name a column of woven rows, lit as high as a programme meter of type IIa reads while the
 * reel is heard as it is routed; the sample peak is a full thread, and a thread on top stays once full scale was reached.
 */
export const WovenEdge = memo(function WovenEdge({ reel }: { reel: Reel }) {
  const { what, output } = useWeaveChoice();
  const heard = useEditor((s) => s.heard);
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  const { outputs, buses } = reel.doc.weave;
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext("2d");
    if (!c || !g) return;
    const ratio = window.devicePixelRatio || 1;
    c.width = Math.round(cell * outputs.length * ratio);
    c.height = Math.round(high * ratio);
    const style = getComputedStyle(c);
    const colour = (name: string) => style.getPropertyValue(name);
    const colours = outputs.map((o) => {
      const b = buses.find((b) => b.id === o.bus);
      const kind = (b?.colour ?? b?.kind ?? "").toLowerCase();
      return (b?.role !== "mix" && kind && colour(`--${kind}`)) || colour("--ink");
    });
    const [line, caution, bad, ink] = ["line", "caution", "bad", "ink"].map((n) => colour(`--${n}`)) as [
      string,
      string,
      string,
      string,
    ];
    const rows = Math.floor((high - 6) / row);
    const six = Math.round((1 - -10 / floor) * rows); // mark 6, -10 dBFS
    const draw = () => {
      const m = useMonitor.getState();
      const of = m.hearing?.of;
      const ours = of && "reel" in of && of.reel === reel.id && !of.track && !of.bus; // the outputs, or their names
      g.setTransform(ratio, 0, 0, ratio, 0, 0);
      g.clearRect(0, 0, cell * outputs.length, high);
      for (let i = 0; i < outputs.length; i++) {
        const x = i * cell + 8;
        const wide = cell - 16;
        const r = ours ? m.readings[i] : undefined;
        const lit = Math.round(part(r?.ppm ?? 0) * rows);
        g.fillStyle = ours && m.clipped[i] ? bad : line;
        g.fillRect(x, 0, wide, 3);
        for (let k = 0; k < rows; k++) {
          const y = high - (k + 1) * row;
          g.fillStyle = k < lit ? (k >= six ? caution : (colours[i] ?? ink)) : line;
          // Over one, under one: threads of a plain weave.
          for (let t = (k % 2) * 4; t < wide; t += 8) g.fillRect(x + t, y, 4, row - 1.5);
        }
        const peak = part(r?.peak ?? 0);
        if (peak > 0) {
          g.fillStyle = ink;
          g.fillRect(x, high - peak * (high - 6) - 1, wide, 1.5);
        }
      }
    };
    draw();
    return useMonitor.subscribe(draw);
  }, [outputs, buses, reel.id, theme]);
  return (
    <div className="shrink-0 overflow-x-auto border-line border-t bg-ground px-4 pt-1">
      <canvas
        ref={canvas}
        role="img"
        aria-label="Levels of the outputs while the reel is heard"
        title="A programme meter for each output, lit while the reel is heard as it is routed. A click says what sounds there"
        style={{ width: cell * outputs.length, height: high }}
        className="block cursor-pointer"
        onClick={(e) => chooseOutput(Math.min(outputs.length - 1, Math.floor(e.nativeEvent.offsetX / cell)))}
      />
      <div role="toolbar" aria-label="Outputs" className="flex">
        {outputs.map((o, i) => (
          <button
            key={i}
            type="button"
            aria-pressed={what === "output" && output === i}
            aria-description={heard.has(i) ? "heard alone" : undefined}
            title={`${i + 1} ${o.name}${heard.has(i) ? ", heard alone" : ""}. With Shift: hear it alone, with others that are`}
            style={{ width: cell }}
            className={`h-5 shrink-0 truncate text-small ${what === "output" && output === i ? "bg-raised" : heard.size > 0 && !heard.has(i) ? "text-quiet opacity-60" : "text-quiet"} ${heard.has(i) ? "text-focus outline outline-focus -outline-offset-1" : ""}`}
            onClick={(e) => (e.shiftKey ? hearOutputs([i]) : chooseOutput(i))}
          >
            {outputHead(o.name, i)}
          </button>
        ))}
      </div>
    </div>
  );
});
