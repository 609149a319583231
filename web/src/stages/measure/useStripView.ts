import { useCallback, useState } from "react";
import type { Tenths } from "./paintStrip";

/** Which part of the reel the strips show, in tenths of a second, of so many. `at` is where the pointer is. */
export function useStripView(total: number, at: () => number) {
  const [view, setView] = useState<Tenths>({ from: 0, to: total });
  const zoom = useCallback(
    (by: number) =>
      setView((v) => {
        const middle = Math.max(v.from, Math.min(v.to, at()));
        const long = Math.min(total, Math.max(20, (v.to - v.from) * by));
        const from = Math.max(0, Math.min(total - long, middle - ((middle - v.from) / (v.to - v.from)) * long));
        return { from, to: from + long };
      }),
    [at, total],
  );
  const pan = useCallback(
    (part: number) =>
      setView((v) => {
        const by = Math.max(-v.from, Math.min(total - v.to, (v.to - v.from) * part));
        return { from: v.from + by, to: v.to + by };
      }),
    [total],
  );
  /** Moves the view so that a place is in it. */
  const show = useCallback(
    (tenth: number) =>
      setView((v) => {
        if (tenth >= v.from && tenth <= v.to) return v;
        const long = v.to - v.from;
        const from = Math.max(0, Math.min(total - long, tenth - long / 4));
        return { from, to: from + long };
      }),
    [total],
  );
  const whole = useCallback(() => setView({ from: 0, to: total }), [total]);
  return { view: { from: Math.min(view.from, total - 10), to: Math.min(view.to, total) }, zoom, pan, show, whole };
}
