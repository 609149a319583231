import { memo, useEffect, useRef } from "react";
import type { Strand } from "../../api/client";
import { useTheme } from "../../ui/theme";

const height = 32;

type Props = {
  strands: Strand[];
  /** Where the first begins in its row, in pixels. */
  left: number;
  /** Of each, in pixels. */
  width: number;
};

/**
 * The outlines of a take's strands, side by side: one drawing a row, since thousands of small ones
 * would keep the sheet from scrolling smoothly. Peaks come with the take: no request a cell.
 */
export const TinyWaves = memo(function TinyWaves({ strands, left, width }: Props) {
  const ref = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  useEffect(() => {
    const canvas = ref.current;
    const g = canvas?.getContext("2d");
    if (!canvas || !g) return;
    const scale = window.devicePixelRatio || 1;
    canvas.width = Math.round(strands.length * width * scale);
    canvas.height = Math.round(height * scale);
    g.scale(scale, scale);
    const look = getComputedStyle(canvas);
    const plain = look.color;
    const quiet = look.getPropertyValue("--line");
    strands.forEach((s, i) => {
      const peaks = atob(s.shape);
      const step = width / peaks.length;
      g.fillStyle = s.silent || s.mix || s.off ? quiet : plain;
      for (let k = 0; k < peaks.length; k++) {
        // Quiet sound is drawn larger than it is: the square root keeps a whisper visible.
        const half = Math.max(0.4, 15 * Math.sqrt(peaks.charCodeAt(k) / 255));
        g.fillRect(i * width + k * step, height / 2 - half, step * 0.75, 2 * half);
      }
    });
  }, [strands, width, theme]);
  return (
    // biome-ignore lint/a11y/noAriaHiddenOnFocusable: a canvas takes no focus
    <canvas
      ref={ref}
      aria-hidden="true"
      className="pointer-events-none absolute top-0 text-thread"
      style={{ left, width: strands.length * width, height }}
    />
  );
});
