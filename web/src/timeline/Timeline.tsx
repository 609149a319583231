import { type ComponentProps, useCallback, useEffect, useMemo, useRef } from "react";
import type { Clip, Production, Reel } from "../api/client";
import { choose, point, useEditor } from "../editor/store";
import { useMonitor } from "../listening/engine";
import { useTheme } from "../ui/theme";
import { colours } from "./colours";
import { hit, type Row, sampleOf, xOf } from "./geometry";
import { Heads } from "./Heads";
import { Markers } from "./Markers";
import { Pictures } from "./Pictures";
import { paintClips, paintGround } from "./paint";
import { playhead } from "./place";
import { Rail } from "./Rail";
import { Ruler } from "./Ruler";
import { Tiles } from "./tiles";
import { type Acting, useDrag } from "./useDrag";
import { useLayer } from "./useLayer";
import { reveal, scrollTo, viewNow, zoomAbout } from "./view";

type Props = {
  production: Production;
  reel: Reel;
  rows: Row[];
  away: (c: Clip) => string;
  act: (what: string, action: Acting) => void;
  /** Begins to move along the reel by hand, with sound. */
  scrub: ComponentProps<typeof Ruler>["scrub"];
  /** Told how large the lanes are. */
  onSize: (width: number, height: number) => void;
};

/** The reel as cloth: tracks from top to bottom, time from left to right, drawn on canvas layers. */
export function Timeline({ production, reel, rows, away, act, scrub, onSize }: Props) {
  const lanes = useRef<HTMLDivElement>(null);
  const size = useRef({ width: 1000, height: 500 });
  const theme = useTheme((s) => s.theme);
  const palette = useMemo(() => colours(), [theme]);
  const total = (rows.at(-1)?.top ?? 0) + (rows.at(-1)?.height ?? 0);
  // By what the lanes are now: the ruler and the rail may be drawn before these are drawn anew at another size.
  const view = useCallback(() => {
    const { clientWidth, clientHeight } = lanes.current ?? { clientWidth: 0, clientHeight: 0 };
    return viewNow(clientWidth || size.current.width, clientHeight || size.current.height);
  }, []);
  const tiles = useRef<Tiles>(undefined);

  const cloth = useLayer(
    useCallback(
      (g, width, height, ratio) => {
        if (size.current.width !== width || size.current.height !== height) {
          size.current = { width, height };
          onSize(width, height);
        }
        const s = useEditor.getState();
        tiles.current ??= new Tiles(() => cloth.redraw());
        tiles.current.drop();
        const scene = {
          reel,
          rows,
          view: view(),
          colours: palette,
          tiles: tiles.current,
          chosen: s.clips,
          tracks: s.tracks,
          ghost: s.ghost,
          follow: s.follow,
          louder: s.louder,
          drawing: s.drawing,
          away,
          ratio,
        };
        paintGround(g, scene);
        paintClips(g, scene);
        lanes.current?.setAttribute("data-drawn", tiles.current.settled ? "yes" : "no");
      },
      [reel, rows, palette, away, view, onSize],
    ),
  );
  const over = useLayer(
    useCallback(
      (g, width, height) => {
        const v = view();
        const s = useEditor.getState();
        if (s.span) {
          g.fillStyle = palette.focus;
          for (const r of rows) {
            if (!s.tracks.includes(r.track.id)) continue;
            g.globalAlpha = 0.14;
            g.fillRect(xOf(v, s.span.from), r.top - v.top, (s.span.to - s.span.from) * v.px, r.height);
            g.globalAlpha = 0.8;
            g.fillRect(xOf(v, s.span.from), r.top - v.top, 1, r.height);
            g.fillRect(xOf(v, s.span.to) - 1, r.top - v.top, 1, r.height);
          }
        }
        g.globalAlpha = 1;
        g.fillStyle = palette.ink;
        for (const m of reel.doc.markers ?? []) {
          const at = Math.round(xOf(v, m.at));
          if (at < 0 || at > width) continue;
          g.globalAlpha = 0.35;
          g.fillRect(at, 0, 1, height);
        }
        g.globalAlpha = 1;
        // What lies outside of the reel's length is kept, and not delivered.
        const { start, end } = reel.worked_out;
        g.fillStyle = palette.ground;
        g.globalAlpha = 0.55;
        if (reel.doc.length) g.fillRect(Math.max(0, xOf(v, end)), 0, width, height);
        if (reel.doc.start !== null) g.fillRect(0, 0, Math.max(0, xOf(v, start)), height);
        g.globalAlpha = 1;
        g.fillStyle = palette.ink;
        const x = Math.round(xOf(v, s.pointer));
        if (x >= 0 && x <= width) g.fillRect(x, 0, 1, height);
        const now = playhead(reel.id);
        if (now !== null) {
          g.fillStyle = palette.focus;
          g.fillRect(Math.round(xOf(v, now)) - 1, 0, 2, height);
        }
      },
      [reel, rows, palette, view],
    ),
  );

  useEffect(
    () =>
      useEditor.subscribe((now, was) => {
        over.redraw();
        if (now.pointer !== was.pointer && now.px === was.px && now.from === was.from && now.span === was.span) {
          if (now.clips === was.clips && now.ghost === was.ghost && now.tracks === was.tracks) return;
        }
        cloth.redraw();
      }),
    [cloth.redraw, over.redraw],
  );

  // While it sounds, the line moves on with every frame, and the view with it.
  const playing = useMonitor((m) => m.hearing !== null && "reel" in m.hearing.of && m.hearing.of.reel === reel.id);
  useEffect(() => {
    if (!playing) {
      over.redraw();
      return;
    }
    let frame = 0;
    let last: number | null = null;
    const step = () => {
      frame = requestAnimationFrame(step);
      over.redraw();
      const now = playhead(reel.id);
      const v = view();
      const end = v.from + v.width / v.px;
      if (now !== null && last !== null && last <= end && now > end && useEditor.getState().px > 0)
        scrollTo(reel, now - (0.1 * v.width) / v.px, v);
      last = now;
    };
    step();
    return () => cancelAnimationFrame(frame);
  }, [playing, reel, view, over.redraw]);

  const drag = useDrag({ reel, rows, view, act });

  // The menu of the right button is about what lies beneath it: that is chosen, unless it is already.
  const chooseUnder = (e: React.MouseEvent) => {
    const box = lanes.current?.getBoundingClientRect();
    if (!box || e.button !== 2) return;
    const found = hit(view(), rows, Math.max(0, e.clientX - box.left), e.clientY - box.top);
    const s = useEditor.getState();
    const clip = e.clientX < box.left ? undefined : found?.clip;
    if (!found || (clip && s.clips.has(clip.id))) return;
    const at = Math.round(sampleOf(view(), e.clientX - box.left));
    const inSpan = s.span && at >= s.span.from && at < s.span.to && s.tracks.includes(found.row.track.id);
    if (inSpan && e.clientX >= box.left) return;
    if (clip) choose([clip.id], [found.row.track.id]);
    else if (!s.tracks.includes(found.row.track.id) || s.clips.size > 0) choose([], [found.row.track.id]);
    if (e.clientX >= box.left) point(at);
  };

  useEffect(() => {
    const el = lanes.current;
    if (!el) return;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const v = view();
      const lines = e.deltaMode === 1 ? 16 : 1;
      if (e.ctrlKey || e.metaKey) {
        const x = e.clientX - el.getBoundingClientRect().left;
        zoomAbout(reel, v, Math.exp(-e.deltaY * lines * 0.004), v.from + x / v.px);
        return;
      }
      const sideways = e.shiftKey ? e.deltaY : e.deltaX;
      if (sideways !== 0) scrollTo(reel, v.from + (sideways * lines) / v.px, v);
      if (!e.shiftKey && e.deltaY !== 0) scrollRows(e.deltaY * lines, total, v.height);
    };
    el.addEventListener("wheel", wheel, { passive: false });
    return () => el.removeEventListener("wheel", wheel);
  }, [reel, view, total]);

  // Where heights have changed, the chosen track stays in view, and nothing is shown below the last.
  const heights = useEditor((s) => s.heights);
  const had = useRef(heights);
  useEffect(() => {
    const { top, tracks } = useEditor.getState();
    const { height } = size.current;
    const row = had.current === heights ? undefined : rows.find((r) => r.track.id === tracks[0]);
    had.current = heights;
    let next = top;
    if (row && row.top + row.height > next + height) next = row.top + row.height - height;
    if (row && row.top < next) next = row.top;
    next = Math.max(0, Math.min(next, total - height));
    if (next !== top) useEditor.setState({ top: next });
  }, [heights, rows, total]);

  // What keys go to is in view.
  useEffect(
    () =>
      useEditor.subscribe((now, was) => {
        if (now.pointer !== was.pointer && now.ghost === null && now.px === was.px) reveal(reel, view(), now.pointer);
        const row = rows.find((r) => r.track.id === now.tracks[0]);
        if (now.tracks[0] !== was.tracks[0] && row) {
          const { height } = size.current;
          if (row.top < now.top) useEditor.setState({ top: row.top });
          else if (row.top + row.height > now.top + height) useEditor.setState({ top: row.top + row.height - height });
        }
      }),
    [reel, rows, view],
  );

  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <Rail reel={reel} rows={rows} colours={palette} view={view} />
      <Ruler reel={reel} production={production} colours={palette} view={view} scrub={scrub} />
      {(reel.doc.markers?.length ?? 0) > 0 && <Markers reel={reel} production={production} view={view} />}
      {(reel.doc.pictures?.length ?? 0) > 0 && <Pictures reel={reel} production={production} view={view} act={act} />}
      <div role="group" aria-label="Tracks over time" className="flex min-h-0 flex-1" onContextMenu={chooseUnder}>
        <Heads reel={reel} rows={rows} act={act} away={away} production={production} />
        {/* What is drawn here is said by the rows beside it, and every drag has its key. */}
        <div ref={lanes} data-testid="lanes" className="relative min-w-0 flex-1 touch-none select-none" {...drag}>
          <div aria-hidden="true" className="pointer-events-none absolute inset-0">
            <canvas ref={cloth.canvas} className="absolute inset-0 h-full w-full" />
            <canvas ref={over.canvas} className="absolute inset-0 h-full w-full" />
          </div>
          <Scrollbar total={total} />
        </div>
      </div>
    </div>
  );
}

/** Moves the tracks up or down. */
function scrollRows(by: number, total: number, height: number) {
  useEditor.setState((s) => ({ top: Math.max(0, Math.min(Math.max(0, total - height), s.top + by)) }));
}

/** How far down one is among the tracks, where not all are in view. */
function Scrollbar({ total }: { total: number }) {
  const bar = useRef<HTMLDivElement>(null);
  const top = useEditor((s) => s.top);
  const height = bar.current?.parentElement?.clientHeight ?? 0;
  const all = height === 0 || total <= height;
  return (
    <div ref={bar} aria-hidden="true" className="pointer-events-none absolute inset-y-0 right-0 w-1.5">
      {!all && (
        <div
          className="absolute right-0 w-1.5 bg-line"
          style={{ top: (top / total) * height, height: Math.max(16, (height / total) * height) }}
        />
      )}
    </div>
  );
}
