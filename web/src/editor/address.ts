import { useEffect, useRef } from "react";
import type { Production, Reel } from "../api/client";
import { timecodeIn } from "../timeline/place";
import { parsePosition } from "./position";
import { type Span, useEditor } from "./store";

const mostIds = 8; // of what is chosen: an address stays one that can be sent

type Place = { sample_rate: number; rate: Production["rate"] };

/** A place as timecode, with the samples that it lies behind the frame. */
function written(p: Production, at: number): string {
  const text = timecodeIn(p, at);
  const frame = parsePosition(text, 0, p.sample_rate, p.rate) ?? at;
  return at === frame ? text : `${text}~${at - frame}`;
}

function read(p: Place, text: string | null): number | undefined {
  const [timecode, more = "0"] = (text ?? "").split("~");
  const frame = timecode ? parsePosition(timecode, 0, p.sample_rate, p.rate) : null;
  const beyond = Number(more);
  return frame === null || !Number.isInteger(beyond) ? undefined : Math.max(0, frame + beyond);
}

type Shown = { pointer?: number; span?: Span; clips?: ReadonlySet<string>; tracks?: readonly string[] };

/** What the address says of a reel: where one is, the span, and what is chosen; nothing where it is about another. */
export function addressed(p: Production, reel: Reel, search: string): Shown {
  const q = new URLSearchParams(search);
  if (q.get("reel") !== reel.id) return {};
  const out: Shown = {};
  const pointer = read(p, q.get("at"));
  if (pointer !== undefined) out.pointer = pointer;
  const [from, to] = (q.get("span") ?? "").split("_").map((t) => read(p, t));
  if (from !== undefined && to !== undefined && to > from) out.span = { from, to };
  const some = (name: string) => (q.get(name) ?? "").split(",").filter(Boolean).slice(0, mostIds);
  const clips = some("clips");
  const tracks = some("tracks");
  if (clips.length > 0) out.clips = new Set(clips);
  if (tracks.length > 0) out.tracks = tracks;
  return out;
}

/** The address of what is shown of a reel, from the question mark on. */
export function addressOf(p: Production, reel: Reel): string {
  const s = useEditor.getState();
  const parts = [`reel=${reel.id}`, `at=${written(p, s.pointer)}`];
  if (s.span) parts.push(`span=${written(p, s.span.from)}_${written(p, s.span.to)}`);
  if (s.clips.size > 0 && s.clips.size <= mostIds) parts.push(`clips=${[...s.clips].join(",")}`);
  if (s.tracks.length > 0 && s.tracks.length <= mostIds) parts.push(`tracks=${s.tracks.join(",")}`);
  return `?${parts.join("&")}`;
}

/** Keeps the address at what is shown, a moment after it was changed: whoever is sent it sees the same. */
export function useAddress(p: Production, reel: Reel) {
  const now = useRef({ p, reel });
  now.current = { p, reel };
  useEffect(() => {
    let waiting: ReturnType<typeof setTimeout> | undefined;
    const write = () => {
      waiting = undefined;
      const to = addressOf(now.current.p, now.current.reel);
      if (to !== location.search) history.replaceState(history.state, "", location.pathname + to);
    };
    const later = () => {
      waiting ??= setTimeout(write, 300);
    };
    later();
    const stop = useEditor.subscribe((s, was) => {
      if (s.pointer !== was.pointer || s.span !== was.span || s.clips !== was.clips || s.tracks !== was.tracks) later();
    });
    return () => {
      clearTimeout(waiting);
      stop();
    };
  }, [reel.id]);
}
