import { useRef } from "react";
import type { Clip, EditAction, Reel } from "../api/client";
import { withPoint } from "../editor/envelope";
import { figureOf, ofLane, ofSound, overLanes, placeOf } from "../editor/enveloped";
import { crossfading, type Ghost, kinOf, shownAs } from "../editor/ghost";
import { choose, point, useEditor } from "../editor/store";
import { note } from "../ui/notes";
import { caught, edgesOf, type Hit, hit, type Row, sampleOf, type View } from "./geometry";
import { carryKnot, type Knot, takeKnot } from "./knots";

type Press = Hit & {
  knot?: Knot;
  /** The clip that a press with Shift adds to what is chosen. */
  more: Clip | undefined;
  x: number;
  y: number;
  at: number;
  alone: boolean;
  moved: boolean;
  view: View;
  edges: number[];
  spanFrom: number;
};

const threshold = 4; // px before a press becomes a drag
const catching = 7; // px from an edge that a drag catches on

/** An edit, or what it is on the reel as it is when its turn comes. */
export type Acting = EditAction | ((now: Reel) => EditAction | undefined);

/** What edits come to on the reel as it is when their turn comes. */
export const actionsOn = (now: Reel, all: Acting[]): EditAction[] =>
  all.flatMap((a) => (typeof a === "function" ? (a(now) ?? []) : a));

const cursors = { head: "w-resize", tail: "e-resize", "fade in": "pointer", "fade out": "pointer", body: "default" };

/** The pointer's form over something, which says what dragging it does. */
const cursorOf = (h: Hit | undefined, drawing: string) =>
  overLanes(drawing) || (drawing && h?.zone) ? "crosshair" : h?.zone ? cursors[h.zone] : "text";

type Props = {
  reel: Reel;
  rows: Row[];
  view: () => View;
  /** Carries an edit out; the ghost stays until it is answered. */
  act: (what: string, action: Acting) => void;
};

/**
 * What the pointer does in the lanes: a press chooses and moves the pointer; dragging a clip moves it, its edges trim it,
 * its knots fade it; dragging over the ground, or anywhere with Shift, chooses a span. Alt acts on one clip alone, Ctrl or
 * Cmd lets nothing be caught.
 */
export function useDrag({ reel, rows, view, act }: Props) {
  const press = useRef<Press | null>(null);

  const snapped = (p: Press, at: number, free: boolean) => {
    if (!useEditor.getState().snap || free) return at;
    return caught(at, p.edges, catching / p.view.px) ?? at;
  };

  const down = (e: React.PointerEvent<HTMLElement>) => {
    if (e.button !== 0) return;
    const v = view();
    const box = e.currentTarget.getBoundingClientRect();
    const [x, y] = [e.clientX - box.left, e.clientY - box.top];
    const h = hit(v, rows, x, y);
    if (!h) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const s = useEditor.getState();
    const alone = e.altKey || s.alone;
    const { row } = h;
    const lanes = overLanes(s.drawing);
    const clip = lanes ? undefined : h.clip; // clips are below what is drawn
    const edit = clip && h.zone && !e.shiftKey;
    // With Shift it may become a span: only what comes of it chooses.
    if (!e.shiftKey) {
      const more = e.ctrlKey || e.metaKey;
      if (clip && !s.clips.has(clip.id))
        choose(more ? [...s.clips, clip.id] : [clip.id], more ? withTrack(s.tracks, row.track.id) : [row.track.id]);
      else if (!clip) choose([], [row.track.id]);
    }
    let knot: Press["knot"];
    const over = lanes
      ? ofLane(reel, row.track, s.drawing)
      : clip && h.zone && s.drawing
        ? ofSound(reel, row.track, shownAs(clip, s.ghost), s.drawing)
        : null;
    if (lanes && !over && !e.shiftKey)
      note(
        placeOf(s.drawing)
          ? `${row.track.label} is not one channel that is placed among speakers, with an LFE where that is drawn.`
          : figureOf(s.drawing)
            ? `${row.track.label} has no such treatment to draw: ask for it first.`
            : `${row.track.label} has no position to draw: it is neither sent into two sides nor one channel that is placed.`,
      );
    if (s.drawing === "places" && clip && h.zone && !over && !e.shiftKey)
      note(`${clip.name} has no position to draw: its track has no two sides, or it enters them by a matrix.`);
    if (over && !e.shiftKey) {
      const taken = takeKnot(over, s.ghost, v, row, x, y);
      if (taken.was !== null && e.altKey) {
        act(`take a point of ${over.says} away`, (now) => {
          const o = over.in(now);
          return o?.put((o.drawn.gain ?? []).filter((p) => p.at !== taken.was));
        });
        return;
      }
      knot = taken;
      useEditor.setState({ ghost: { kind: "curve", clips: new Set([over.id]), gain: taken.gain, index: taken.index } });
    }
    const chosen = useEditor.getState().clips;
    const moving = alone ? chosen : kinOf(reel.doc.tracks, chosen);
    press.current = {
      ...(edit ? h : { row }),
      more: e.shiftKey ? clip : undefined,
      knot,
      x,
      y,
      at: sampleOf(v, x),
      alone,
      moved: false,
      view: v,
      edges: [...edgesOf(reel.doc.tracks, moving), s.pointer],
      spanFrom: sampleOf(v, x),
    };
  };

  const move = (e: React.PointerEvent<HTMLElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [x, y] = [e.clientX - box.left, e.clientY - box.top];
    const p = press.current;
    if (!p) {
      const h = hit(view(), rows, x, y);
      e.currentTarget.style.cursor = cursorOf(h, useEditor.getState().drawing);
      return;
    }
    if (p.knot) {
      p.moved = true;
      useEditor.setState({
        ghost: {
          kind: "curve",
          clips: new Set([p.knot.over.id]),
          gain: carryKnot(p.knot, p.view, p.row, x, y),
          index: p.knot.index,
        },
      });
      return;
    }
    if (!p.moved && Math.abs(x - p.x) < threshold && Math.abs(y - p.y) < threshold) return;
    p.moved = true;
    const free = e.ctrlKey || e.metaKey;
    const at = sampleOf(p.view, x);
    if (!p.clip) {
      const a = snapped(p, p.spanFrom, free);
      const b = snapped(p, at, free);
      const under = hit({ ...p.view, top: useEditor.getState().top }, rows, Math.max(0, x), y)?.row ?? p.row;
      useEditor.setState({
        span: a === b ? null : { from: Math.round(Math.min(a, b)), to: Math.round(Math.max(a, b)) },
        tracks: between(rows, p.row, under),
        clips: new Set(),
        pointer: Math.round(Math.min(a, b)),
      });
      return;
    }
    useEditor.setState({ ghost: ghostOf(reel, rows, p, p.clip, at, y, (to) => snapped(p, to, free)) });
  };

  const up = () => {
    const p = press.current;
    press.current = null;
    if (!p) return;
    const { ghost } = useEditor.getState();
    if (p.knot && ghost?.kind === "curve") {
      const { over, index, was } = p.knot;
      const point = ghost.gain[index];
      if (point)
        act(`draw ${over.says}`, (now) => {
          const o = over.in(now);
          const rest = o && { ...o.drawn, gain: (o.drawn.gain ?? []).filter((p) => p.at !== was) };
          return rest && o.put(withPoint(rest, point.at, point.value, point.shape, o.scale));
        });
      return;
    }
    if (!p.moved) {
      const edges = useEditor.getState().snap ? caught(p.at, p.edges, catching / p.view.px) : null;
      point(edges ?? p.at);
      const s = useEditor.getState();
      if (p.more) choose([...s.clips, p.more.id], withTrack(s.tracks, p.row.track.id));
      else if (!p.clip) useEditor.setState({ span: null });
      return;
    }
    if (!ghost || !p.clip) return;
    const done = actionOf(ghost, p, p.clip);
    if (done) act(done.what, done.action);
    else useEditor.setState({ ghost: null });
  };

  const cancel = () => {
    press.current = null;
    useEditor.setState({ ghost: null });
  };
  return { onPointerDown: down, onPointerMove: move, onPointerUp: up, onPointerCancel: cancel };
}

const withTrack = (tracks: readonly string[], id: string) => (tracks.includes(id) ? tracks : [...tracks, id]);

/** The tracks from one row to another. */
function between(rows: Row[], a: Row, b: Row): string[] {
  // By their IDs: rows are others as soon as anything of the reel has changed, even in the middle of a drag.
  const [i = 0, k = 0] = [a, b].map((r) => rows.findIndex((o) => o.track.id === r.track.id));
  const ids = rows.slice(Math.min(i, k), Math.max(i, k) + 1).map((r) => r.track.id);
  return [a.track.id, ...ids.filter((id) => id !== a.track.id)];
}

function ghostOf(
  reel: Reel,
  rows: Row[],
  p: Press,
  clip: Clip,
  at: number,
  y: number,
  snap: (at: number) => number,
): Ghost | null {
  const { clips: chosen } = useEditor.getState();
  const clips = p.alone ? chosen : kinOf(reel.doc.tracks, chosen);
  const end = clip.at + clip.length;
  // Of what is tied, an edge takes along what has it, too: pieces of a strand that was cut alone keep their inner edges.
  const along = (edge: (c: Clip) => number) =>
    new Set(
      reel.doc.tracks.flatMap((t) =>
        t.clips.flatMap((c) => (clips.has(c.id) && (chosen.has(c.id) || edge(c) === edge(clip)) ? c.id : [])),
      ),
    );
  const heads = () => along((c) => c.at);
  const tails = () => along((c) => c.at + c.length);
  switch (p.zone) {
    case "head":
      return { kind: "trim", clips: heads(), edge: "head", by: Math.round(snap(at)) - clip.at };
    case "tail":
      return { kind: "trim", clips: tails(), edge: "tail", by: Math.round(snap(at)) - end };
    case "fade in":
    case "fade out": {
      const side = p.zone === "fade in" ? "in" : "out";
      const over = crossfading(reel.doc.tracks, clip, side, at, (first) => {
        if (p.alone) return new Set([first.id]);
        const kin = kinOf(reel.doc.tracks, new Set([first.id]));
        const ends = first.at + first.length;
        return new Set(
          reel.doc.tracks.flatMap((t) =>
            t.clips.flatMap((c) => (kin.has(c.id) && c.at + c.length === ends ? c.id : [])),
          ),
        );
      });
      if (over) return over;
      return side === "in"
        ? { kind: "fade", clips: heads(), end: "in", length: Math.max(0, Math.round(at - clip.at)) }
        : { kind: "fade", clips: tails(), end: "out", length: Math.max(0, Math.round(end - at)) };
    }
    default: {
      const raw = at - p.at;
      const head = snap(clip.at + raw) - clip.at;
      const tail = snap(end + raw) - end;
      const by = head !== raw && (tail === raw || Math.abs(head - raw) <= Math.abs(tail - raw)) ? head : tail;
      const under = rows.find((r) => y + p.view.top >= r.top && y + p.view.top < r.top + r.height);
      const onto: Record<string, string> = {};
      if (under && under.track.id !== p.row.track.id && under.track.layout === p.row.track.layout)
        onto[p.row.track.id] = under.track.id;
      return { kind: "move", clips, by: Math.round(by), onto };
    }
  }
}

/** The edit that a drag comes to; null for one that came back to where it began. */
function actionOf(g: Ghost, p: Press, clip: Clip): { what: string; action: EditAction } | null {
  const chosen = [...useEditor.getState().clips];
  const named = { clips: chosen, alone: p.alone };
  const alone = p.alone ? " alone" : "";
  switch (g.kind) {
    case "curve":
      return null; // drawn by its knot
    case "trim":
      return g.by === 0
        ? null
        : { what: `trim ${clip.name}${alone}`, action: { trim: { ...named, edge: g.edge, by: g.by } } };
    case "fade": {
      const was = g.end === "in" ? clip.fade_in : clip.fade_out;
      const fade = { ...was, length: g.length };
      const action = g.end === "in" ? { fade: { ...named, in: fade } } : { fade: { ...named, out: fade } };
      return { what: `fade ${clip.name} ${g.end}`, action };
    }
    case "crossfade": {
      const first = g.tails.has(clip.id)
        ? clip.id
        : p.row.track.clips[p.row.track.clips.findIndex((c) => c.id === clip.id) - 1]?.id;
      if (!first) return null;
      const shape = clip.fade_in?.shape || clip.fade_out?.shape || "equal_power";
      return {
        what: `crossfade ${clip.name}${alone}`,
        action: { crossfade: { clips: [first], length: g.length, shape, alone: p.alone } },
      };
    }
    case "move":
      if (g.by === 0 && Object.keys(g.onto).length === 0) return null;
      return { what: `move ${clip.name}${alone}`, action: { move: { ...named, by: g.by, onto: { ...g.onto } } } };
  }
}
