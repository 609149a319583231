import { type RefObject, useRef } from "react";
import type { Strand, Take } from "../../api/client";
import { hearStrand, saysOf } from "../../listening/keys";
import { Scrubber, scrubStrand } from "../../listening/Scrubber";

/** A stretch of a take, in frames. */
export type Range = { from: number; to: number };

/** Pixels that a pointer may move and still have clicked. */
const still = 4;

/**
 * What the pointer does on a strand's waveform: a click hears it from there, dragging moves along it with
 * sound, and dragging with Shift chooses a stretch.
 */
export function useStrip(
  take: Take,
  point: (e: React.PointerEvent<HTMLElement>) => void,
  pointer: RefObject<number>,
  onRange: (r: Range | null) => void,
) {
  const drag = useRef<{ x: number; from: number; shift: boolean; scrub: Scrubber | null; moved: boolean } | null>(null);
  return (s: Strand) => ({
    onPointerDown: (e: React.PointerEvent<HTMLElement>) => {
      if (e.button !== 0) return;
      point(e);
      e.currentTarget.setPointerCapture(e.pointerId);
      drag.current = { x: e.clientX, from: pointer.current, shift: e.shiftKey, scrub: null, moved: false };
    },
    onPointerMove: (e: React.PointerEvent<HTMLElement>) => {
      point(e);
      const d = drag.current;
      if (!d || (!d.moved && Math.abs(e.clientX - d.x) < still)) return;
      d.moved = true;
      if (d.shift) {
        onRange({ from: Math.min(d.from, pointer.current), to: Math.max(d.from, pointer.current) });
        return;
      }
      d.scrub ??= new Scrubber(scrubStrand(s.id, take.sample_rate, s.frames, saysOf(take, s), take.start ?? null));
      void d.scrub.to(pointer.current - s.shift);
    },
    onPointerUp: () => {
      const d = drag.current;
      drag.current = null;
      if (!d) return;
      d.scrub?.end();
      if (d.moved) return;
      if (d.shift) onRange(null);
      else hearStrand(take, s, pointer.current, { latched: true });
    },
    onPointerCancel: () => {
      drag.current?.scrub?.end();
      drag.current = null;
    },
  });
}
