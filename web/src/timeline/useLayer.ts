import { useCallback, useEffect, useRef } from "react";

export type Draw = (g: CanvasRenderingContext2D, width: number, height: number, ratio: number) => void;

/**
 * A canvas at the device's resolution that fills its parent. `draw` is called in the next frame after `redraw`, once however
 * often that was asked for; and whenever the size or `draw` itself changes.
 */
export function useLayer(draw: Draw) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef(draw);
  const frame = useRef(0);
  latest.current = draw;
  const redraw = useCallback(() => {
    if (frame.current) return;
    frame.current = requestAnimationFrame(() => {
      frame.current = 0;
      const c = canvas.current;
      const g = c?.getContext("2d");
      const box = c?.parentElement;
      if (!c || !g || !box) return;
      const ratio = window.devicePixelRatio || 1;
      const [w, h] = [box.clientWidth, box.clientHeight];
      if (c.width !== Math.round(w * ratio) || c.height !== Math.round(h * ratio)) {
        c.width = Math.round(w * ratio);
        c.height = Math.round(h * ratio);
      }
      g.setTransform(ratio, 0, 0, ratio, 0, 0);
      g.clearRect(0, 0, w, h);
      latest.current(g, w, h, ratio);
    });
  }, []);
  useEffect(() => {
    const box = canvas.current?.parentElement;
    if (!box) return;
    const o = new ResizeObserver(redraw);
    o.observe(box);
    return () => {
      o.disconnect();
      cancelAnimationFrame(frame.current);
      frame.current = 0;
    };
  }, [redraw]);
  useEffect(redraw, [draw, redraw]);
  return { canvas, redraw };
}
