import { memo, useMemo } from "react";
import type { Strand } from "../../api/client";

type Props = {
  strands: Strand[];
  /** Where the first begins in its row, in pixels. */
  left: number;
  /** Of each, in pixels. */
  width: number;
  /** Where they lie in their row, and how high they are: their words stand above them. */
  top: number;
  height: number;
};

/**
 * The outlines of a take's strands, side by side: one drawing a row and no canvas, since each canvas
 * is a layer of its own that scrolling would have to arrange. Peaks come with the take.
 */
export const TinyWaves = memo(function TinyWaves({ strands, left, width, top, height }: Props) {
  const [plain, quiet] = useMemo(() => {
    const paths = ["", ""];
    strands.forEach((s, i) => {
      const peaks = atob(s.shape);
      const step = width / peaks.length;
      const bar = (step * 0.75).toFixed(1);
      let d = "";
      for (let k = 0; k < peaks.length; k++) {
        // Quiet sound is drawn larger than it is: the square root keeps a whisper visible.
        const half = Math.max(0.4, (height / 2) * Math.sqrt(peaks.charCodeAt(k) / 255));
        d += `M${(i * width + k * step).toFixed(1)} ${(height / 2 - half).toFixed(1)}h${bar}v${(2 * half).toFixed(1)}h-${bar}z`;
      }
      paths[s.silent || s.mix || s.off ? 1 : 0] += d;
    });
    return paths;
  }, [strands, width, height]);
  return (
    <svg
      aria-hidden="true"
      width={strands.length * width}
      height={height}
      shapeRendering="crispEdges"
      className="pointer-events-none absolute z-[1]"
      style={{ left, top }}
    >
      <path d={plain} className="fill-thread" />
      <path d={quiet} className="fill-line" />
    </svg>
  );
});
