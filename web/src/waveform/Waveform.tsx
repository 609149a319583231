import { useQuery } from "@tanstack/react-query";
import { memo, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useTheme } from "../ui/theme";

const scale = 16384;

/** Fetches the extent of sound in a number of columns: least and greatest, alternating; and what the head says. */
async function columnsOf(address: string, signal: AbortSignal) {
  const answer = await fetch(address, { signal });
  if (!answer.ok) throw new Error(`The waveform could not be read (${answer.status}).`);
  return { columns: new Int16Array(await answer.arrayBuffer()), head: answer.headers };
}

/** By how much the highest of what is drawn fills its box; noise 60 dB down stays small. */
function fitted(data: Int16Array): number {
  let most = scale / 1000;
  for (const v of data) most = Math.max(most, Math.abs(v));
  return (0.95 * scale) / most;
}

type Props = {
  /** A strand, or the address of something else that is drawn alike. */
  strand?: string;
  address?: string;
  /** Told what the answer's head says. */
  onHead?: (head: Headers) => void;
  /** Frames of the strand that are drawn. */
  from: number;
  to: number;
  /** CSS colour. */
  colour?: string;
  /** Drawn larger than it is, for quiet sound; 1 is true to scale, "fit" as high as there is room for. */
  zoom?: number | "fit";
  className?: string;
};

/**
 * A strand's waveform on a canvas at the device's resolution. It is as wide as its box, and drawn
 * anew when that changes.
 */
export const Waveform = memo(function Waveform({
  strand,
  address = `/api/strands/${strand}/waveform?`,
  onHead,
  from,
  to,
  colour = "var(--ink)",
  zoom = 1,
  className = "",
}: Props) {
  const box = useRef<HTMLDivElement>(null);
  const theme = useTheme((s) => s.theme);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ w: 0, h: 0 });
  useLayoutEffect(() => {
    const el = box.current;
    if (!el) return;
    const measure = () => {
      const ratio = window.devicePixelRatio || 1;
      setSize({ w: Math.min(8192, Math.round(el.clientWidth * ratio)), h: Math.round(el.clientHeight * ratio) });
    };
    measure();
    const o = new ResizeObserver(measure);
    o.observe(el);
    return () => o.disconnect();
  }, []);
  // Widths are asked for in steps, so that a window being resized does not ask at every pixel.
  const columns = Math.max(1, Math.min(8192, Math.ceil(size.w / 32) * 32));
  const { data: drawn, isError } = useQuery({
    queryKey: ["waveform", address, from, to, columns],
    queryFn: ({ signal }) => columnsOf(`${address}from=${from}&to=${to}&columns=${columns}`, signal),
    enabled: size.w > 0 && to > from,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: (before) => before,
  });
  const data = drawn?.columns;
  useEffect(() => {
    if (drawn) onHead?.(drawn.head);
  }, [drawn, onHead]);
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext("2d");
    if (!c || !g || size.w === 0) return;
    c.width = size.w;
    c.height = size.h;
    g.clearRect(0, 0, size.w, size.h);
    g.fillStyle = getComputedStyle(c).color;
    const middle = size.h / 2;
    if (!data) return;
    const n = data.length / 2;
    const by = zoom === "fit" ? fitted(data) : zoom;
    for (let x = 0; x < size.w; x++) {
      const a = Math.floor((x * n) / size.w);
      const b = Math.max(a + 1, Math.floor(((x + 1) * n) / size.w));
      let lo = 0;
      let hi = 0;
      for (let i = a; i < b && i < n; i++) {
        lo = Math.min(lo, data[2 * i] ?? 0);
        hi = Math.max(hi, data[2 * i + 1] ?? 0);
      }
      const top = Math.max(0, middle - ((hi * by) / scale) * middle);
      const bottom = Math.min(size.h, middle - ((lo * by) / scale) * middle);
      g.fillRect(x, top, 1, Math.max(1, bottom - top));
    }
  }, [data, size, zoom, colour, theme]);
  return (
    <div ref={box} className={`overflow-hidden ${className}`} data-drawn={data ? "yes" : "no"}>
      <canvas ref={canvas} className="block h-full w-full" style={{ color: colour }} />
      {isError && <span className="text-bad text-small">no waveform</span>}
    </div>
  );
});
