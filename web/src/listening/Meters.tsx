import { useEffect, useRef } from "react";
import { useTheme } from "../ui/theme";
import { useMonitor } from "./engine";

const floor = -60;
const part = (v: number) => (v > 0 ? Math.max(0, Math.min(1, 1 - (20 * Math.log10(v)) / floor)) : 0);

/**
 * A thread for every channel of what is heard, as high as a programme meter of type IIa reads, with the
 * sample peak as a stroke above it and a light on top that stays once full scale was reached. Drawn on a
 * canvas: there may be 64 of them, and they move with the sound.
 */
export function Meters({ channels }: { channels: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext("2d");
    if (!c || !g) return;
    const ratio = window.devicePixelRatio || 1;
    c.width = Math.round(c.clientWidth * ratio);
    c.height = Math.round(c.clientHeight * ratio);
    const colours = getComputedStyle(c);
    const colour = (name: string) => colours.getPropertyValue(name);
    const [ground, good, caution, bad, ink, line] = ["ground", "good", "caution", "bad", "ink", "line"].map((n) =>
      colour(`--${n}`),
    ) as [string, string, string, string, string, string];
    const draw = () => {
      const m = useMonitor.getState();
      g.clearRect(0, 0, c.width, c.height);
      const n = Math.max(1, channels);
      const step = Math.min(14 * ratio, c.width / n);
      const width = Math.max(1, Math.floor(step - 2 * ratio));
      const light = Math.round(5 * ratio);
      const top = light + 2 * ratio;
      const high = c.height - top;
      for (let i = 0; i < channels; i++) {
        const x = Math.round(i * step);
        const r = m.readings[i];
        g.fillStyle = m.clipped[i] ? bad : line;
        g.fillRect(x, 0, width, light);
        g.fillStyle = ground;
        g.fillRect(x, top, width, high);
        const ppm = part(r?.ppm ?? 0) * high;
        // Mark 6 of the scale, -10 dBFS, is where programme should not go beyond.
        const six = (1 - -10 / floor) * high;
        g.fillStyle = good;
        g.fillRect(x, c.height - Math.min(ppm, six), width, Math.min(ppm, six));
        if (ppm > six) {
          g.fillStyle = caution;
          g.fillRect(x, c.height - ppm, width, ppm - six);
        }
        const peak = part(r?.peak ?? 0) * high;
        if (peak > 0) {
          g.fillStyle = ink;
          g.fillRect(x, c.height - peak, width, Math.max(1, ratio));
        }
      }
    };
    draw();
    return useMonitor.subscribe(draw);
  }, [channels, theme]);
  return (
    <div aria-hidden="true">
      <canvas ref={canvas} className="block h-10 w-full" />
    </div>
  );
}
