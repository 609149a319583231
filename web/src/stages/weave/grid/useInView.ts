import { type RefObject, useCallback, useEffect, useLayoutEffect, useState } from "react";

/** Which rows and columns of a grid are drawn: those in view, and some around them. */
export type InView = { top: number; bottom: number; left: number; right: number };

/** Rows and columns around what is in view that are drawn, too. */
const around = 4;
/** By how many rows or columns one scrolls before others are drawn. */
const step = 4;
/** A grid of no more crossings than this is drawn whole. */
const whole = 400;

type Props = {
  grid: RefObject<HTMLElement | null>;
  rows: number;
  cols: number;
  rowHeight: number;
  colWidth: number;
  headHeight: number;
  headWidth: number;
};

/** The nearest element around one that scrolls. */
export function scroller(of: HTMLElement | null): HTMLElement | null {
  for (let e = of?.parentElement ?? null; e; e = e.parentElement)
    if (/auto|scroll/.test(getComputedStyle(e).overflowY)) return e;
  return null;
}

/** Follows what of a grid of equal rows and columns is in view, in an element around it that scrolls. */
export function useInView({ grid, rows, cols, rowHeight, colWidth, headHeight, headWidth }: Props): InView {
  const [view, setView] = useState<InView>({ top: 0, bottom: 6 * around, left: 0, right: 4 * around });
  const look = useCallback(() => {
    const g = grid.current;
    const s = scroller(g);
    if (!g || !s) return;
    const [a, b] = [g.getBoundingClientRect(), s.getBoundingClientRect()];
    const range = (from: number, to: number, size: number): [number, number] => [
      Math.max(0, Math.floor(from / size / step) * step - around),
      Math.ceil(to / size / step) * step + around,
    ];
    const [top, bottom] = range(b.top - a.top - headHeight, b.bottom - a.top - headHeight, rowHeight);
    const [left, right] = range(b.left - a.left, b.right - a.left - headWidth, colWidth);
    setView((v) =>
      v.top === top && v.bottom === bottom && v.left === left && v.right === right ? v : { top, bottom, left, right },
    );
  }, [grid, rowHeight, colWidth, headHeight, headWidth]);
  useEffect(() => {
    const s = scroller(grid.current);
    if (!s) return;
    let asked = 0;
    const later = () => {
      asked ||= requestAnimationFrame(() => {
        asked = 0;
        look();
      });
    };
    const sizes = new ResizeObserver(later);
    sizes.observe(s);
    for (const e of s.children) sizes.observe(e); // what stands above moves it
    s.addEventListener("scroll", later, { passive: true });
    return () => {
      cancelAnimationFrame(asked);
      sizes.disconnect();
      s.removeEventListener("scroll", later);
    };
  }, [grid, look]);
  useLayoutEffect(look, [look, rows, cols]);
  if (rows * cols <= whole) return { top: 0, bottom: rows, left: 0, right: cols };
  return {
    top: Math.min(view.top, rows),
    bottom: Math.min(view.bottom, rows),
    left: Math.min(view.left, cols),
    right: Math.min(view.right, cols),
  };
}
