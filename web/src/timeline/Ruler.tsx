import { useCallback, useEffect, useRef, useState } from "react";
import type { Production, Reel } from "../api/client";
import { parsePosition } from "../editor/position";
import { point, useEditor } from "../editor/store";
import { useMonitor } from "../listening/engine";
import { tickStep } from "../stages/reel/layout";
import type { Colours } from "./colours";
import { caught, edgesOf, sampleOf, type View, xOf } from "./geometry";
import { headWidth, playhead, timecodeIn } from "./place";
import { useLayer } from "./useLayer";

type Props = {
  reel: Reel;
  production: Production;
  colours: Colours;
  view: () => View;
  /** Begins to move along the reel by hand, with sound. */
  scrub: (reel: Reel) => { to: (place: number) => void; end: () => void };
};

/** px that the pointer's ticket is wide, about: it begins at the pointer. */
const ticketWidth = 86;

/**
 * Timecode along the top: a press moves the pointer, a drag chooses a span over all tracks. The pointer's own ticket is
 * carried, or anything with Alt, and the reel heard as it passes.
 */
export function Ruler({ reel, production, colours, view, scrub }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { canvas, redraw } = useLayer(
    useCallback(
      (g, width, height) => {
        const v = view();
        const step = tickStep(v.px, reel.sample_rate, production.rate);
        g.font = `12px ${colours.font}`;
        g.textBaseline = "middle";
        const to = v.from + width / v.px;
        for (let at = Math.floor(v.from / step) * step; at < to; at += step) {
          const x = Math.round(xOf(v, at));
          g.fillStyle = colours.line;
          g.fillRect(x, 0, 1, height);
          g.fillStyle = colours.quiet;
          g.fillText(timecodeIn(production, at), x + 5, height / 2);
        }
        const s = useEditor.getState();
        if (s.span) {
          g.fillStyle = colours.focus;
          g.fillRect(xOf(v, s.span.from), height - 3, (s.span.to - s.span.from) * v.px, 3);
        }
        const ticket = (at: number, ground: string, ink: string) => {
          const text = timecodeIn(production, at);
          const w = g.measureText(text).width + 12;
          const x = xOf(v, at);
          if (x < -w || x > width) return;
          const left = Math.max(0, Math.min(width - w, x));
          g.fillStyle = ground;
          g.beginPath();
          g.moveTo(left, 3);
          g.lineTo(left + w - 6, 3);
          g.lineTo(left + w, 9);
          g.lineTo(left + w, height - 3);
          g.lineTo(left, height - 3);
          g.fill();
          g.fillStyle = ink;
          g.fillText(text, left + 5, height / 2);
        };
        ticket(s.pointer, colours.ink, colours.ground);
        const now = playhead(reel.id);
        if (now !== null) ticket(now, colours.focus, colours.ground);
      },
      [reel, production, colours, view],
    ),
  );
  useEffect(() => useEditor.subscribe(redraw), [redraw]);
  useEffect(() => useMonitor.subscribe(redraw), [redraw]);
  const from = useRef<number | null>(null);
  const scrubbing = useRef<ReturnType<Props["scrub"]> | null>(null);
  /** Where the ticket was taken, in pixels, and what is added to a place for the pointer's: it may have been a click. */
  const taken = useRef<{ x: number; by: number } | null>(null);
  /** Whether the pointer's ticket is at a place of the ruler. */
  const onTicket = (e: React.PointerEvent) => {
    const left = box.current?.getBoundingClientRect().left ?? 0;
    const x = xOf(view(), useEditor.getState().pointer);
    return e.clientX - left >= x && e.clientX - left <= x + ticketWidth;
  };
  const carry = (to: number) => {
    scrubbing.current ??= scrub(reel);
    point(to);
    void scrubbing.current.to(to);
  };
  const letGo = (e: React.PointerEvent) => {
    if (taken.current && !scrubbing.current) {
      point(at(e));
      useEditor.setState({ span: null });
    }
    from.current = null;
    taken.current = null;
    scrubbing.current?.end();
    scrubbing.current = null;
  };
  const at = (e: React.PointerEvent) => {
    const v = view();
    const raw = sampleOf(v, e.clientX - (box.current?.getBoundingClientRect().left ?? 0));
    if (!useEditor.getState().snap || e.ctrlKey || e.metaKey) return raw;
    return caught(raw, edgesOf(reel.doc.tracks), 7 / v.px) ?? raw;
  };
  return (
    <div className="flex h-7 shrink-0 border-line border-b bg-ground">
      <Pointer production={production} start={reel.worked_out.start} />
      <div
        ref={box}
        data-testid="ruler"
        className="relative min-w-0 flex-1 cursor-text touch-none select-none"
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          if (e.altKey) {
            carry(at(e));
            return;
          }
          if (onTicket(e)) {
            taken.current = { x: e.clientX, by: useEditor.getState().pointer - sampleOf(view(), e.clientX) };
            return;
          }
          from.current = at(e);
          point(from.current);
          useEditor.setState({ span: null });
        }}
        onPointerMove={(e) => {
          if (taken.current) {
            // The ticket stays under the pointer where it was taken.
            if (scrubbing.current || Math.abs(e.clientX - taken.current.x) >= 4)
              carry(sampleOf(view(), e.clientX) + taken.current.by);
            return;
          }
          if (scrubbing.current) {
            carry(at(e));
            return;
          }
          e.currentTarget.style.cursor = from.current === null && onTicket(e) ? "ew-resize" : "";
          if (from.current === null) return;
          const to = at(e);
          if (Math.abs(to - from.current) * view().px < 4) return;
          useEditor.setState({
            span: { from: Math.round(Math.min(to, from.current)), to: Math.round(Math.max(to, from.current)) },
            tracks: reel.doc.tracks.map((t) => t.id),
            pointer: Math.round(Math.min(to, from.current)),
          });
        }}
        onPointerUp={letGo}
        onPointerCancel={letGo}
      >
        <div aria-hidden="true" className="absolute inset-0">
          <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
        </div>
      </div>
    </div>
  );
}

/** Where the pointer is: typed as timecode or as an offset. */
function Pointer({ production, start }: { production: Production; start: number }) {
  const pointer = useEditor((s) => s.pointer);
  const [draft, setDraft] = useState<string | null>(null);
  const typed = draft === null ? null : parsePosition(draft, pointer, production.sample_rate, production.rate, start);
  return (
    <label
      className="flex shrink-0 items-center gap-2 border-line border-r px-3 text-quiet text-small"
      style={{ width: headWidth }}
    >
      Pointer
      <input
        id="pointer-position"
        aria-label="Pointer: timecode, or an offset such as +1:00, -12f, +480s"
        title="Timecode, or an offset: +1:00, -12f, +480s (samples), +20ms (G)"
        aria-invalid={draft !== null && draft !== "" && typed === null}
        value={draft ?? timecodeIn(production, pointer)}
        onFocus={(e) => {
          setDraft(timecodeIn(production, pointer));
          e.target.select();
        }}
        onMouseUp={(e) => e.preventDefault()} // all of it stays chosen, to be typed over
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && typed !== null) point(typed);
          if (e.key === "Enter" || e.key === "Escape") e.currentTarget.blur();
        }}
        onBlur={() => setDraft(null)}
        className={`figures h-5 w-28 border bg-ground px-1 text-ink ${draft !== null && typed === null ? "border-bad" : "border-line"}`}
      />
    </label>
  );
}
