import { create } from "zustand";
import type { Laid } from "../api/client";
import type { FigureKey } from "../treatment/moving";
import type { PlaceKey } from "./enveloped";
import type { Ghost } from "./ghost";
import type { Look } from "./look";

/** A stretch of the reel's time, over the tracks that are chosen. */
export type Span = { from: number; to: number };

/** A clip that was copied, and the track that it lay on. */
export type Copied = Laid & { label: string; layout: string };

type Editor = {
  /** The reel that all of this is about. */
  reel: string;
  /** First sample in view, and CSS pixels a sample: 0 shows all of the extent. */
  from: number;
  px: number;
  /** What the whole reel is taken to be: it grows with the reel, and shrinks only when the whole is asked for again. */
  extent: Span;
  /** Pixels of tracks above what is in view. */
  top: number;
  /** Where one edits and hears from, in samples since midnight. */
  pointer: number;
  span: Span | null;
  /** What is ordered in Delivery is the span alone, with its picture. */
  cutDown: boolean;
  /** Clips that are chosen. */
  clips: ReadonlySet<string>;
  /** A marker that is chosen. */
  marker: string;
  /** A picture that is chosen. */
  picture: string;
  /** How large the picture is that plays along. */
  window: "small" | "large" | "hidden";
  /** Tracks that are chosen; the first is the one that keys act on. */
  tracks: readonly string[];
  /** Edits act on the named clips without their kin. */
  alone: boolean;
  snap: boolean;
  /** The pointer draws levels or positions of clips, levels or positions of tracks, or nothing. */
  drawing: "" | "clips" | "places" | "tracks" | "positions" | `treated ${FigureKey}` | `place ${PlaceKey}`;
  /** Waveforms follow gains and envelopes. */
  follow: boolean;
  /** What a drag would do. */
  ghost: Ghost | null;
  /** Clips that were copied, with what their tracks are: they may be pasted into another reel. */
  clipboard: readonly Copied[];
  /** Which wide tracks were folded into one lane, and which unfolded, by their IDs. */
  folds: Readonly<Record<string, boolean>>;
  /** Heights of tracks in CSS pixels, by their IDs, as somebody has set them; the others share the window. */
  heights: Readonly<Record<string, number>>;
  /** How many times a track's waveforms are drawn twice as high, by its ID: to the eye alone. */
  louder: Readonly<Record<string, number>>;
  /** Tracks that alone are heard, and those that are not: for listening only. */
  solo: ReadonlySet<string>;
  /** The outputs that alone are heard, by their places from 0; all where there is none. */
  heard: ReadonlySet<number>;
  mute: ReadonlySet<string>;
};

const fresh: Editor = {
  reel: "",
  from: 0,
  px: 0,
  extent: { from: 0, to: 1 },
  top: 0,
  pointer: 0,
  span: null,
  cutDown: false,
  clips: new Set(),
  marker: "",
  picture: "",
  window: "small",
  tracks: [],
  alone: false,
  snap: true,
  drawing: "",
  follow: true,
  ghost: null,
  clipboard: [],
  folds: {},
  heights: {},
  louder: {},
  solo: new Set(),
  heard: new Set(),
  mute: new Set(),
};

/** What a person looks at and has chosen in the reel that is shown: none of it is stored. */
export const useEditor = create<Editor>(() => fresh);

/** How one begins with a reel. */
type Begun = Partial<Look> & { span?: Span; clips?: ReadonlySet<string>; tracks?: readonly string[] };

/** Begins with a reel as one last looked at it, which is asked once: what was copied before stays at hand. */
export function beginEditing(reel: string, { start, end }: { start: number; end: number }, look: () => Begun) {
  const { reel: before, clipboard, snap, follow, window, folds, tracks } = useEditor.getState();
  if (before === reel) return;
  const begun = look();
  const extent = { from: start, to: end };
  // What was chosen before any reel was shown, by a snag that leads here, is of this one.
  const chosen = before === "" ? tracks : [];
  useEditor.setState({
    ...fresh,
    reel,
    extent,
    from: start,
    pointer: start,
    clipboard,
    snap,
    follow,
    window,
    tracks: chosen,
    ...begun,
    folds: { ...folds, ...begun.folds },
  });
}

/** Shows the whole reel. */
export function showWhole({ start, end }: { start: number; end: number }) {
  useEditor.setState({ px: 0, top: 0, extent: { from: start, to: end } });
}

/** Makes room in the whole view for what has come to lie beyond it. */
export function growExtent({ start, end }: { start: number; end: number }) {
  useEditor.setState(({ extent: e }) =>
    start < e.from || end > e.to ? { extent: { from: Math.min(start, e.from), to: Math.max(end, e.to) } } : {},
  );
}

/** Chooses clips, and the tracks that they lie on. */
export function choose(clips: Iterable<string>, tracks?: readonly string[]) {
  useEditor.setState((s) => ({ clips: new Set(clips), marker: "", picture: "", tracks: tracks ?? s.tracks }));
}

/** Moves the pointer. */
export function point(to: number) {
  useEditor.setState({ pointer: Math.max(0, Math.round(to)) });
}
