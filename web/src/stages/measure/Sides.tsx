import { useEffect, useRef, useState } from "react";
import { sidesHeard, useMonitor } from "../../listening/engine";
import { useTheme } from "../../ui/theme";
import { level } from "./figures";
import { coloursAt, fitted } from "./paintStrip";

const size = 132;

/**
 * Both sides of what is heard in a plane: what is the same on both stands upright, what is opposite lies, what is on one side
 * leans to it. Under it their correlation, over a fifth of a second, from −1 to 1.
 */
export function Sides() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  const playing = useMonitor((s) => s.hearing !== null);
  const [correlation, setCorrelation] = useState<number | null>(null);
  useEffect(() => {
    const c = canvas.current;
    const g = c && fitted(c, size);
    if (!c || !g) return;
    const { ink, line } = coloursAt(c);
    const cloth = () => {
      g.clearRect(0, 0, size, size);
      g.strokeStyle = line;
      g.lineWidth = 1;
      g.beginPath();
      for (const [a, b, d, e] of [
        [0.5, 0, 0.5, 1],
        [0, 0.5, 1, 0.5],
        [0.15, 0.15, 0.85, 0.85],
        [0.85, 0.15, 0.15, 0.85],
      ] as const) {
        g.moveTo(a * size, b * size);
        g.lineTo(d * size, e * size);
      }
      g.stroke();
    };
    cloth();
    setCorrelation(null);
    if (!playing) return;
    let frame = 0;
    let said = 0;
    const draw = (now: number) => {
      frame = requestAnimationFrame(draw);
      const sides = sidesHeard();
      if (!sides) return;
      const [l, r] = sides;
      cloth();
      g.fillStyle = ink;
      let [ll, rr, lr] = [0, 0, 0];
      for (let i = 0; i < l.length; i++) {
        const [a, b] = [l[i] ?? 0, r[i] ?? 0];
        ll += a * a;
        rr += b * b;
        lr += a * b;
        if (i % 4 === 0) g.fillRect(size / 2 + ((b - a) * size) / 2.9, size / 2 - ((a + b) * size) / 2.9, 1.3, 1.3);
      }
      if (now - said > 150) {
        said = now;
        setCorrelation(ll > 1e-9 && rr > 1e-9 ? lr / Math.sqrt(ll * rr) : null);
      }
    };
    frame = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(frame);
  }, [theme, playing]);
  return (
    <section aria-label="Both sides" className="flex gap-3 border-line border-t px-3 py-2">
      <span className="relative shrink-0" style={{ width: size, height: size }}>
        <canvas
          ref={canvas}
          role="img"
          aria-label="Both sides of what is heard, in a plane"
          style={{ width: size, height: size }}
          className="block bg-ground"
        />
        <span aria-hidden="true" className="absolute top-1 left-1 text-quiet text-small">
          left
        </span>
        <span aria-hidden="true" className="absolute top-1 right-1 text-quiet text-small">
          right
        </span>
      </span>
      <span className="min-w-0 text-quiet">
        Both sides of what is heard: upright is the same on both, level is opposite.
        <span className="mt-1 block text-ink">
          correlation <span className="figures">{level(correlation, 2)}</span>
        </span>
        {correlation !== null && correlation < -0.2 && <span className="text-caution">fades in mono</span>}
      </span>
    </section>
  );
}
