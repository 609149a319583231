import { useMemo } from "react";
import type { Clip, EditAction, Fade, Production, Reel } from "../../api/client";
import type { ReelEdit } from "../../api/reel";
import { thinned, withPoint } from "../../editor/envelope";
import { pasting } from "../../editor/paste";
import { routeTo, stemsOf, toggle, unroute } from "../../editor/routes";
import { choose, point, showWhole, useEditor } from "../../editor/store";
import { chosenTracks, clipAt, edgeFrom, targets } from "../../editor/targets";
import { plural } from "../../format";
import { stop, useMonitor } from "../../listening/engine";
import { valueAt } from "../../timeline/curve";
import type { Row } from "../../timeline/geometry";
import { hearAlone } from "../../timeline/Heads";
import { playhead } from "../../timeline/place";
import { scrollTo, viewNow, zoomAbout } from "../../timeline/view";
import { type Command, useCommandList } from "../../ui/commands";
import { note } from "../../ui/notes";
import { type StemKind, stemKeys } from "../../ui/stems";
import { borrow } from "./borrowing";
import { playOrStop, playSpan, playTrack } from "./hearing";
import { openPrint } from "./printing";

type Props = {
  production: Production;
  reel: Reel;
  rows: Row[];
  mutate: (edit: (reel: Reel) => ReelEdit | null) => void;
  act: (what: string, ...actions: EditAction[]) => void;
  size: { width: number; height: number };
};

const dipDb = -6;
const dipRamp = 0.05; // seconds
const offRamp = 0.005;
const crossfade = 0.02;
const longestGap = 2; // seconds that room tone fills

/** Every action of the Reel stage, with its key. The keys come from the words. */
export function useReelCommands(p: Props) {
  const list = useMemo<Command[]>(
    () => [...hearing(p), ...moving(p), ...choosing(p), ...cutting(p), ...sounding(p), ...routing(p), ...looking(p)],
    [p],
  );
  useCommandList("Reel", list);
}

/** Where one is: where it sounds, or else the pointer. */
const here = (reel: Reel) => Math.round(playhead(reel.id) ?? useEditor.getState().pointer);

const named = (clips: { clip: Clip }[]) =>
  clips.length === 1 ? (clips[0]?.clip.name ?? "") : plural(clips.length, "clip");

const ids = (clips: { clip: Clip }[]) => clips.map((l) => l.clip.id);

/** Does something with the clips that are meant, or says that there is none. */
function withClips(rows: Row[], run: (clips: ReturnType<typeof targets>, alone: boolean) => void) {
  const clips = targets(rows);
  if (clips.length === 0) note("Choose a clip first: click it, or Enter for the one at the pointer.");
  else run(clips, useEditor.getState().alone);
}

function withSpan(run: (span: { from: number; to: number }) => void) {
  const { span } = useEditor.getState();
  if (span) run(span);
  else note("Choose a span first: drag over the tracks, or S and E at its start and end.");
}

function hearing({ reel, rows }: Props): Command[] {
  const first = () => rows.find((r) => r.track.id === chosenTracks(rows)[0]?.id);
  return [
    {
      id: "play",
      name: "Hear the reel from the pointer, or stop",
      key: " ",
      offers: "hear the reel from the pointer",
      run: () => playOrStop(reel),
    },
    { id: "loop", name: "Hear the span over and over, or no longer", key: "l", run: () => playSpan(reel) },
    { id: "track alone", name: "Hear this track alone from the pointer", run: () => playTrack(reel, first()) },
    {
      id: "solo",
      name: "Hear only the chosen tracks, or all again",
      key: "r",
      run: () => hearAlone(chosenTracks(rows).map((t) => t.id)),
    },
    {
      id: "mute",
      name: "Listen without the chosen tracks, or with them again",
      run: () =>
        useEditor.setState((s) => {
          const mute = new Set(s.mute);
          for (const t of chosenTracks(rows)) if (!mute.delete(t.id)) mute.add(t.id);
          return { mute };
        }),
    },
    {
      id: "all",
      name: "Hear all tracks again",
      run: () => useEditor.setState({ solo: new Set(), mute: new Set() }),
    },
  ];
}

function moving({ production: pr, reel, rows, size }: Props): Command[] {
  const frame = (pr.sample_rate * pr.rate.den) / pr.rate.num;
  const by = (samples: number) => () => point(useEditor.getState().pointer + samples);
  const edge = (later: boolean) => () => {
    const to = edgeFrom(chosenTracks(rows), useEditor.getState().pointer, later);
    if (to !== null) point(to);
  };
  const track = (step: number) => () => {
    const i = rows.findIndex((r) => r.track.id === chosenTracks(rows)[0]?.id);
    const next = rows[Math.max(0, Math.min(rows.length - 1, i + step))];
    if (next) useEditor.setState({ tracks: [next.track.id] });
  };
  return [
    { id: "next", name: "Next track", key: "ArrowDown", run: track(1) },
    { id: "before", name: "Track before", key: "ArrowUp", run: track(-1) },
    { id: "later", name: "Pointer a frame later", key: "ArrowRight", run: by(frame) },
    { id: "earlier", name: "Pointer a frame earlier", key: "ArrowLeft", run: by(-frame) },
    { id: "second later", name: "Pointer a second later", key: "shift+ArrowRight", run: by(pr.sample_rate) },
    { id: "second earlier", name: "Pointer a second earlier", key: "shift+ArrowLeft", run: by(-pr.sample_rate) },
    { id: "next edge", name: "Pointer to the next edge", key: "n", run: edge(true) },
    { id: "edge before", name: "Pointer to the previous edge", key: "p", run: edge(false) },
    { id: "start", name: "Pointer to the start of the reel", key: "Home", run: () => point(reel.worked_out.start) },
    { id: "end", name: "Pointer to the end of the reel", key: "End", run: () => point(reel.worked_out.end) },
    {
      id: "go",
      name: "Go to a timecode, or so far on",
      key: "g",
      run: () => document.getElementById("pointer-position")?.focus(),
    },
    {
      id: "here",
      name: "Pointer to where it sounds",
      run: () => {
        point(here(reel));
        const v = viewNow(size.width, size.height);
        scrollTo(reel, here(reel) - v.width / v.px / 2, v);
      },
    },
  ];
}

function choosing({ reel, rows, act }: Props): Command[] {
  return [
    {
      id: "choose",
      name: "Choose the clip at the pointer",
      key: "Enter",
      run: () => {
        const at = useEditor.getState().pointer;
        choose(chosenTracks(rows).flatMap((t) => clipAt(t, at)?.id ?? []));
      },
    },
    {
      id: "choose all",
      name: "Choose all clips of the chosen tracks",
      key: "mod+a",
      run: () => choose(chosenTracks(rows).flatMap((t) => t.clips.map((c) => c.id))),
    },
    {
      id: "all tracks",
      name: "Choose all tracks",
      run: () => useEditor.setState({ tracks: rows.map((r) => r.track.id) }),
    },
    {
      id: "let go",
      name: "Stop, or choose nothing",
      key: "Escape",
      run: () => {
        if (useMonitor.getState().hearing) stop();
        else useEditor.setState({ clips: new Set(), marker: "", span: null, ghost: null });
      },
    },
    {
      id: "span start",
      name: "Start the span here",
      key: "s",
      run: () =>
        useEditor.setState((s) => {
          const at = here(reel);
          return { span: { from: at, to: Math.max(s.span?.to ?? 0, at + 1) } };
        }),
    },
    {
      id: "span end",
      name: "End the span here",
      key: "e",
      run: () =>
        useEditor.setState((s) => {
          const at = here(reel);
          return { span: { from: Math.min(s.span?.from ?? s.pointer, at - 1), to: at } };
        }),
    },
    {
      id: "span clips",
      name: "Span over what is chosen",
      run: () =>
        withClips(rows, (clips) =>
          useEditor.setState({
            span: {
              from: Math.min(...clips.map((l) => l.clip.at)),
              to: Math.max(...clips.map((l) => l.clip.at + l.clip.length)),
            },
          }),
        ),
    },
    {
      id: "mark",
      name: "Put a marker here, or over the span",
      key: "mod+Enter",
      run: () => {
        const { span } = useEditor.getState();
        const id = crypto.randomUUID();
        const n = (reel.doc.markers?.length ?? 0) + 1;
        const at = span?.from ?? here(reel);
        const put = [{ id, at, length: span ? span.to - span.from : 0, name: `Marker ${n}` }];
        act(`put marker ${n}`, { set_markers: { put } });
        useEditor.setState({ marker: id, clips: new Set() });
      },
    },
    {
      id: "next marker",
      name: "Pointer to the next marker",
      run: () => {
        const next = reel.doc.markers?.find((m) => m.at > useEditor.getState().pointer);
        if (next) {
          useEditor.setState({ marker: next.id });
          point(next.at);
        }
      },
    },
    {
      id: "start here",
      name: "The reel starts at the pointer",
      run: () => act("start the reel at the pointer", { set_start: { start: useEditor.getState().pointer } }),
    },
    {
      id: "end here",
      name: "The reel ends at the pointer: what lies beyond is kept, and not delivered",
      run: () => {
        const length = useEditor.getState().pointer - reel.worked_out.start;
        if (length > 0) act("end the reel at the pointer", { set_length: { length } });
      },
    },
    {
      id: "free",
      name: "The reel starts and ends with its clips",
      run: () => act("let the reel follow its clips", { set_start: { start: null } }, { set_length: { length: null } }),
    },
    {
      id: "alone",
      name: "Act on one clip alone, or on all that are tied",
      key: "k",
      run: () => useEditor.setState((s) => ({ alone: !s.alone })),
    },
    {
      id: "snap",
      name: "Catch on edges and the pointer, or on nothing",
      run: () => useEditor.setState((s) => ({ snap: !s.snap })),
    },
  ];
}

function cutting({ production: pr, reel, rows, act }: Props): Command[] {
  const frame = (pr.sample_rate * pr.rate.den) / pr.rate.num;
  const tracks = () => chosenTracks(rows).map((t) => t.id);
  const trim = (edge: "head" | "tail") => () =>
    withClips(rows, (c, alone) =>
      act(`trim the ${edge} of ${named(c)}`, { trim: { clips: ids(c), edge, to: here(reel), alone } }),
    );
  const nudge = (samples: number, words: string) => () =>
    withClips(rows, (c, alone) =>
      act(`move ${named(c)} ${words}`, { move: { clips: ids(c), by: Math.round(samples), alone } }),
    );
  const slip = (samples: number, words: string) => () =>
    withClips(rows, (c, alone) =>
      act(`slip ${named(c)} ${words}`, { slip: { clips: ids(c), by: Math.round(samples), alone } }),
    );
  const remove = (close: "" | "tracks" | "all") => () => {
    const { span, clips, alone } = useEditor.getState();
    const says = { "": "", tracks: " and close the gap", all: " and close the gap on all tracks" }[close];
    if (span && clips.size === 0)
      act(`remove the span${says}`, { remove_span: { from: span.from, to: span.to, tracks: tracks(), alone, close } });
    else withClips(rows, (c) => act(`remove ${named(c)}${says}`, { remove: { clips: ids(c), alone, close } }));
  };
  const copy = () =>
    withClips(rows, (c) => {
      const of = new Map(reel.doc.tracks.map((t) => [t.id, t]));
      const copied = c.map((l) => ({
        ...l,
        label: of.get(l.track)?.label ?? "",
        layout: of.get(l.track)?.layout ?? "",
      }));
      useEditor.setState({ clipboard: copied });
      note(`${named(c)} copied.`);
    });
  const paste = (by: (first: number) => number) => () => {
    const { clipboard } = useEditor.getState();
    if (clipboard.length === 0) {
      note("Nothing was copied yet.");
      return;
    }
    const first = Math.min(...clipboard.map((l) => l.clip.at));
    const { tracks, actions } = pasting(reel, clipboard, by(first), () => crypto.randomUUID());
    if (tracks > 0) note(`${plural(tracks, "track")} made for what is pasted: nothing of the same label was here.`);
    act(`paste ${named([...clipboard])}`, ...actions);
  };
  const extend = (edge: "head" | "tail") => () =>
    withClips(rows, (c, alone) => act(`extend ${named(c)}`, { extend: { clips: ids(c), edge, alone } }));
  return [
    {
      id: "cut",
      name: "Cut here",
      key: "c",
      run: () => {
        const { clips, alone } = useEditor.getState();
        const at = here(reel);
        const which = targets(rows).filter((l) => l.clip.at < at && at < l.clip.at + l.clip.length);
        if (clips.size > 0 && which.length > 0) act(`cut ${named(which)}`, { cut: { at, clips: ids(which), alone } });
        else act("cut", { cut: { at, tracks: tracks(), alone } });
      },
    },
    { id: "cut all", name: "Cut all tracks here", run: () => act("cut all tracks", { cut: { at: here(reel) } }) },
    {
      id: "cut span",
      name: "Cut at both ends of the span",
      run: () =>
        withSpan((s) =>
          act("cut out the span", { cut: { at: s.from, tracks: tracks() } }, { cut: { at: s.to, tracks: tracks() } }),
        ),
    },
    {
      id: "join",
      name: "Join again what was cut",
      key: "j",
      run: () => withClips(rows, (c, alone) => act(`join ${named(c)}`, { join: { clips: ids(c), alone } })),
    },
    { id: "head", name: "Trim the head to here", key: "h", run: trim("head") },
    { id: "tail", name: "Trim the tail to here", key: "t", run: trim("tail") },
    { id: "extend", name: "Extend to the next clip", run: extend("tail") },
    { id: "extend head", name: "Extend back to the clip before", run: extend("head") },
    { id: "nudge later", name: "Move a frame later", key: ".", run: nudge(frame, "a frame later") },
    { id: "nudge earlier", name: "Move a frame earlier", key: ",", run: nudge(-frame, "a frame earlier") },
    {
      id: "nudge ms later",
      name: "Move a millisecond later",
      key: ">",
      run: nudge(pr.sample_rate / 1000, "1 ms later"),
    },
    {
      id: "nudge ms earlier",
      name: "Move a millisecond earlier",
      key: "<",
      run: nudge(-pr.sample_rate / 1000, "1 ms earlier"),
    },
    { id: "sample later", name: "Move a sample later", run: nudge(1, "a sample later") },
    { id: "sample earlier", name: "Move a sample earlier", run: nudge(-1, "a sample earlier") },
    { id: "slip later", name: "Slip the sound a frame later in its clip", run: slip(frame, "a frame later") },
    { id: "slip earlier", name: "Slip the sound a frame earlier in its clip", run: slip(-frame, "a frame earlier") },
    {
      id: "move here",
      name: "Move what is chosen to the pointer",
      run: () =>
        withClips(rows, (c, alone) => {
          const by = useEditor.getState().pointer - Math.min(...c.map((l) => l.clip.at));
          act(`move ${named(c)} to the pointer`, { move: { clips: ids(c), by, alone } });
        }),
    },
    {
      id: "home",
      name: "Bring it home to where its take has it",
      key: "b",
      run: () => withClips(rows, (c) => act(`bring ${named(c)} home`, { home: { clips: ids(c) } })),
    },
    {
      id: "meant",
      name: "It is meant to lie where it does",
      run: () =>
        withClips(rows, (c) => act(`${named(c)} is meant to lie there`, { home: { clips: ids(c), meant: true } })),
    },
    { id: "remove", name: "Remove and leave the gap", key: "Delete", also: "Backspace", run: remove("") },
    {
      id: "close",
      name: "Remove and close the gap on these tracks",
      key: "shift+Delete",
      also: "shift+Backspace",
      run: remove("tracks"),
    },
    {
      id: "close all",
      name: "Remove and close the gap on all tracks",
      key: "mod+Delete",
      also: "mod+Backspace",
      run: remove("all"),
    },
    {
      id: "insert",
      name: "Put time in: as much as the span, on all tracks",
      run: () => withSpan((s) => act("put time in", { insert_time: { at: s.from, by: s.to - s.from } })),
    },
    {
      id: "keep span",
      name: "Keep only the span",
      run: () => withSpan((s) => act("keep only the span", { remove_span: { from: s.from, to: s.to, keep: true } })),
    },
    { id: "copy", name: "Copy", key: "mod+c", run: copy },
    {
      id: "cut out",
      name: "Copy and remove",
      key: "mod+x",
      run: () => {
        copy();
        remove("")();
      },
    },
    {
      id: "paste",
      name: "Paste at the pointer",
      key: "mod+v",
      run: paste((first) => useEditor.getState().pointer - first),
    },
    { id: "paste back", name: "Paste at the original time", key: "mod+shift+v", run: paste(() => 0) },
    {
      id: "duplicate",
      name: "Duplicate behind itself",
      key: "mod+d",
      run: () =>
        withClips(rows, (c) => {
          const from = Math.min(...c.map((l) => l.clip.at));
          const to = Math.max(...c.map((l) => l.clip.at + l.clip.length));
          act(`duplicate ${named(c)}`, { paste: { clips: c, by: to - from } });
        }),
    },
    {
      id: "gaps",
      name: `Close gaps of up to ${longestGap} s on the chosen tracks: extend the clip before`,
      run: () =>
        act("close gaps", {
          close_gaps: { from: 0, to: reel.worked_out.end, tracks: tracks(), longest: longestGap * pr.sample_rate },
        }),
    },
    {
      id: "room",
      name: `Fill gaps of up to ${longestGap} s on the chosen tracks with the span as room tone`,
      run: () =>
        withSpan((s) =>
          act("fill gaps with room tone", {
            close_gaps: {
              from: 0,
              to: reel.worked_out.end,
              tracks: tracks(),
              longest: longestGap * pr.sample_rate,
              tone: { from: s.from, to: s.to, fade: Math.round(crossfade * pr.sample_rate) },
            },
          }),
        ),
    },
    {
      id: "borrow",
      name: "Borrow a line for the span from another take or strand",
      key: "mod+b",
      run: () => borrow(chosenTracks(rows)[0]?.id),
    },
    {
      id: "print",
      name: "Print what is chosen in place: clips, or the span over the tracks",
      key: "mod+i",
      run: () => {
        const { clips, span, alone, tracks: chosen } = useEditor.getState();
        if (clips.size > 0) openPrint(reel, { clips: [...clips], alone });
        else if (span) openPrint(reel, { tracks: tracks(), ...span });
        else if (chosen.length > 0) openPrint(reel, { tracks: [...chosen] });
        else note("Choose clips, a span or tracks first: they become one new recording a take.");
      },
    },
    {
      id: "apart",
      name: "Take a clip of several channels apart: a pair a track",
      run: () =>
        withClips(rows, (c) => {
          const width = c[0]?.clip.strands.length ?? 0;
          const groups = Array.from({ length: Math.ceil(width / 2) }, (_, i) =>
            2 * i + 1 < width
              ? { channels: [2 * i, 2 * i + 1], layout: "stereo" }
              : { channels: [2 * i], layout: "mono" },
          );
          act(`take ${named(c)} apart`, { take_apart: { clips: ids(c), groups } });
        }),
    },
  ];
}

function sounding({ production: pr, reel, rows, act }: Props): Command[] {
  const samples = (seconds: number) => Math.round(seconds * pr.sample_rate);
  const tracks = () => chosenTracks(rows).map((t) => t.id);
  const fade = (end: "in" | "out") => () =>
    withClips(rows, (c, alone) => {
      const at = here(reel);
      const first = c[0]?.clip;
      if (!first) return;
      const length = end === "in" ? at - first.at : first.at + first.length - at;
      if (length < 0 || length > first.length) {
        note(`The pointer is not in ${first.name}: a fade ${end} lasts to where it is.`);
        return;
      }
      const f: Fade = { shape: (end === "in" ? first.fade_in : first.fade_out)?.shape ?? "", length };
      act(`fade ${named(c)} ${end}`, { fade: { clips: ids(c), [end]: f, alone } });
    });
  const shape = (s: NonNullable<Fade["shape"]>, words: string): Command => ({
    id: `shape ${s}`,
    name: `Fades of what is chosen: ${words}`,
    run: () =>
      withClips(rows, (c, alone) =>
        act(
          `fades of ${named(c)}: ${words}`,
          ...c
            .filter((l) => l.clip.fade_in?.length || l.clip.fade_out?.length)
            .map((l) => ({
              fade: {
                clips: [l.clip.id],
                in: l.clip.fade_in?.length ? { ...l.clip.fade_in, shape: s } : undefined,
                out: l.clip.fade_out?.length ? { ...l.clip.fade_out, shape: s } : undefined,
                alone,
              },
            })),
        ),
      ),
  });
  const dip = (db: number, words: string) => () =>
    withSpan((s) =>
      act(`${words} the span`, { dip: { from: s.from, to: s.to, tracks: tracks(), db, ramp: samples(dipRamp) } }),
    );
  const envelope = (db: number) => () =>
    withClips(rows, (c) => {
      const at = useEditor.getState().pointer;
      act(
        `envelope of ${named(c)} ${db > 0 ? "higher" : "lower"}`,
        ...c.map(({ clip }) => {
          const inside = clip.in + at - clip.at;
          const value = valueAt(clip.gain ?? [], inside) + db;
          return { set: { clips: [clip.id], gain: withPoint(clip, inside, value) } };
        }),
      );
    });
  const add = (db: number) => () =>
    withClips(rows, (c) => act(`${db > 0 ? "raise" : "lower"} ${named(c)}`, { set: { clips: ids(c), add_db: db } }));
  return [
    {
      id: "crossfade",
      name: "Crossfade into the next clip",
      key: "x",
      run: () =>
        withClips(rows, (c, alone) =>
          act(`crossfade ${named(c)}`, {
            crossfade: { clips: ids(c), length: samples(crossfade), shape: "equal_power", alone },
          }),
        ),
    },
    {
      id: "no crossfade",
      name: "No crossfade into the next clip",
      run: () =>
        withClips(rows, (c, alone) =>
          act(`no crossfade of ${named(c)}`, { crossfade: { clips: ids(c), length: 0, alone } }),
        ),
    },
    { id: "fade in", name: "Fade in up to here", key: "i", run: fade("in") },
    { id: "fade out", name: "Fade away from here", key: "y", run: fade("out") },
    shape("", "equal gain"),
    shape("equal_power", "equal power"),
    shape("raised_cosine", "in the form of an S"),
    {
      id: "off",
      name: "Turn off: the span on these tracks, or else the tracks",
      key: "o",
      run: () => {
        const { span } = useEditor.getState();
        if (span)
          act("turn the span off", {
            off: { from: span.from, to: span.to, tracks: tracks(), ramp: samples(offRamp) },
          });
        else
          act(
            `turn ${chosenTracks(rows)
              .map((t) => t.label)
              .join(", ")} ${chosenTracks(rows)[0]?.off ? "on" : "off"}`,
            ...chosenTracks(rows).map((t) => ({ set_track: { id: t.id, off: !chosenTracks(rows)[0]?.off } })),
          );
      },
    },
    {
      id: "on",
      name: "Audible again: the span on these tracks",
      key: "a",
      run: () => withSpan((s) => act("turn the span on again", { on: { from: s.from, to: s.to, tracks: tracks() } })),
    },
    { id: "dip", name: `Quieter: dip the span by ${-dipDb} dB`, key: "q", run: dip(dipDb, "dip") },
    { id: "raise", name: "Raise the span by 3 dB", run: dip(3, "raise") },
    { id: "louder", name: "Clip 1 dB louder", key: "]", run: add(1) },
    { id: "softer", name: "Clip 1 dB softer", key: "[", run: add(-1) },
    {
      id: "draw",
      name: "Draw envelopes with the pointer, or choose clips again",
      key: "mod+e",
      run: () => useEditor.setState((s) => ({ drawing: !s.drawing })),
    },
    {
      id: "point up",
      name: "Envelope 1 dB higher at the pointer",
      key: "shift+ArrowUp",
      run: envelope(1),
    },
    {
      id: "point down",
      name: "Envelope 1 dB lower at the pointer",
      key: "shift+ArrowDown",
      run: envelope(-1),
    },
    {
      id: "smooth",
      name: "Envelopes of what is chosen: smooth, or straight again",
      run: () =>
        withClips(rows, (c) =>
          act(
            `shape the envelope of ${named(c)}`,
            ...c
              .filter((l) => l.clip.gain?.length)
              .map((l) => {
                const shape = l.clip.gain?.some((p) => p.shape === "smooth") ? ("" as const) : ("smooth" as const);
                return { set: { clips: [l.clip.id], gain: l.clip.gain?.map((p) => ({ ...p, shape })) } };
              }),
          ),
        ),
    },
    {
      id: "thin",
      name: "Thin the envelopes of what is chosen",
      run: () =>
        withClips(rows, (c) =>
          act(
            `thin the envelope of ${named(c)}`,
            ...c
              .filter((l) => thinned(l.clip.gain ?? []).length < (l.clip.gain?.length ?? 0))
              .map((l) => ({ set: { clips: [l.clip.id], gain: thinned(l.clip.gain ?? []) } })),
          ),
        ),
    },
    {
      id: "copy envelope",
      name: "Take the envelope of the clip that was copied over to what is chosen",
      run: () =>
        withClips(rows, (c) => {
          const from = useEditor.getState().clipboard[0]?.clip;
          if (!from?.gain?.length) note("Copy a clip that has an envelope first.");
          else
            act(
              `take an envelope over to ${named(c)}`,
              ...c.map((l) => ({
                set: {
                  clips: [l.clip.id],
                  gain: from.gain?.map((p) => ({ ...p, at: p.at - from.in + l.clip.in })),
                },
              })),
            );
        }),
    },
    {
      id: "no envelope",
      name: "Take the envelope of what is chosen away",
      run: () => withClips(rows, (c) => act(`no envelope on ${named(c)}`, { set: { clips: ids(c), gain: [] } })),
    },
    {
      id: "invert",
      name: "Invert the polarity of what is chosen",
      run: () =>
        withClips(rows, (c) =>
          act(`invert ${named(c)}`, ...c.map((l) => ({ set: { clips: [l.clip.id], invert: !l.clip.invert } }))),
        ),
    },
    {
      id: "follow",
      name: "Waveforms follow gains and envelopes, or show what was recorded",
      run: () => useEditor.setState((s) => ({ follow: !s.follow })),
    },
  ];
}

function routing({ reel, rows, mutate, act }: Props): Command[] {
  const each = (edit: (t: Row["track"]) => (reel: Reel) => ReelEdit | null) => () => {
    for (const t of chosenTracks(rows)) mutate(edit(t));
  };
  const send = (kind: StemKind) => () => {
    const stem = stemsOf(reel).find((s) => s.kind === kind);
    if (stem) each((t) => routeTo(t, stem))();
  };
  return [
    ...Object.entries(stemKeys).map(([key, kind]) => ({
      id: kind,
      name: `Send this track to ${kind}`,
      key,
      run: send(kind),
    })),
    { id: "unroute", name: "Unsend: send this track to no stem", key: "u", run: each(unroute) },
    { id: "track off", name: "Turn this track off or on", run: each(toggle) },
    {
      id: "placed",
      name: "Say that the clips of this track without a start lie where they belong",
      run: () => {
        const lost = chosenTracks(rows).flatMap((t) => t.clips.filter((c) => c.unplaced).map((c) => ({ t, c })));
        if (lost.length > 0)
          act(
            "say where clips belong",
            ...lost.map(({ t, c }) => ({ set_placed: { track: t.id, id: c.id, placed: true } })),
          );
      },
    },
    {
      id: "remove track",
      name: "Remove the chosen tracks with all that lies on them",
      run: () =>
        act(
          `remove ${plural(chosenTracks(rows).length, "track")}`,
          ...chosenTracks(rows).map((t) => ({ remove_track: { id: t.id } })),
        ),
    },
  ];
}

function looking({ reel, rows, size }: Props): Command[] {
  const view = () => viewNow(size.width, size.height);
  return [
    { id: "in", name: "Zoom in", key: "+", run: () => zoomAbout(reel, view(), 2, here(reel)) },
    { id: "out", name: "Zoom out", key: "-", run: () => zoomAbout(reel, view(), 0.5, here(reel)) },
    { id: "fit", name: "Show the whole reel", key: "w", run: () => showWhole(reel.worked_out) },
    {
      id: "zoom",
      name: "Zoom to the span, or to what is chosen",
      key: "z",
      run: () => {
        const { span } = useEditor.getState();
        const clips = targets(rows);
        const from = span?.from ?? Math.min(...clips.map((l) => l.clip.at));
        const to = span?.to ?? Math.max(...clips.map((l) => l.clip.at + l.clip.length));
        if (!Number.isFinite(from) || to <= from) return;
        const px = Math.min(40, (0.9 * size.width) / (to - from));
        useEditor.setState({ px, from: Math.max(0, from - (0.05 * size.width) / px) });
      },
    },
  ];
}
