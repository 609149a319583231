import type { Clip, Production, Reel } from "../../../api/client";
import type { ReelEdit } from "../../../api/reel";
import { useEditor } from "../../../editor/store";
import { targets } from "../../../editor/targets";
import { plural } from "../../../format";
import type { Row } from "../../../timeline/geometry";
import { playhead } from "../../../timeline/place";
import type { Acting } from "../../../timeline/useDrag";
import { note } from "../../../ui/notes";

/** How long crossfades are that nobody has drawn, in seconds. */
export const crossfade = 0.02;

/** What the commands of the stage work on. */
export type ReelContext = {
  production: Production;
  reel: Reel;
  rows: Row[];
  mutate: (edit: (reel: Reel) => ReelEdit | null) => void;
  /** Carries actions out; one that depends on what is there is given as a function of the reel as it is when its turn comes. */
  act: (what: string, ...actions: Acting[]) => void;
  size: { width: number; height: number };
};

/** A gain that a clip or a track may have, in dB. */
export const clampGain = (db: number) => Math.round(Math.max(-96, Math.min(24, db)) * 10) / 10;

/** Where one is: where it sounds, or else the pointer. */
export const here = (reel: Reel) => Math.round(playhead(reel.id) ?? useEditor.getState().pointer);

/** The picture that is chosen. */
export const chosenPicture = (reel: Reel) => {
  const { picture } = useEditor.getState();
  return picture ? reel.doc.pictures?.find((x) => x.id === picture) : undefined;
};

/** Clips in words: one by its name, several by how many. */
export const named = (clips: { clip: Clip }[]) =>
  clips.length === 1 ? (clips[0]?.clip.name ?? "") : plural(clips.length, "clip");

/** The names of clips in edits. */
export const ids = (clips: { clip: Clip }[]) => clips.map((l) => l.clip.id);

/** Does something with the clips that are meant, or says that there is none. */
export function withClips(rows: Row[], run: (clips: ReturnType<typeof targets>, alone: boolean) => void) {
  const clips = targets(rows);
  if (clips.length === 0) note("Choose a clip first: click it, or Enter for the one at the pointer.");
  else run(clips, useEditor.getState().alone);
}

/** Does something with the chosen span, or says that there is none. */
export function withSpan(run: (span: { from: number; to: number }) => void) {
  const { span } = useEditor.getState();
  if (span) run(span);
  else note("Choose a span first: drag over the tracks, or S and E at its start and end.");
}
