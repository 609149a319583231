import type { Clip, EditAction, Reel, Schemas, Track } from "../api/client";
import type { Drawn } from "./envelope";

type Curve = Schemas["Curve"];

/** What an envelope is drawn over: a clip's sound, with which it moves, or a track's time. */
export type Enveloped = {
  id: string;
  /** Of what, in words: "the envelope of E-1", "the level of Boom". */
  says: string;
  drawn: Drawn;
  /** What is added to a moment of the reel for its place in the envelope. */
  shift: number;
  /** The edit that gives it an envelope. */
  put: (gain: Curve) => EditAction;
  /** The same in the reel as it has become; undefined where it is gone. */
  in: (reel: Reel) => Enveloped | undefined;
};

export const ofClip = (c: Clip): Enveloped => ({
  id: c.id,
  says: `the envelope of ${c.name}`,
  drawn: c,
  shift: c.in - c.at,
  put: (gain) => ({ set: { clips: [c.id], gain } }),
  in: (reel) => {
    const now = reel.doc.tracks.flatMap((t) => t.clips).find((o) => o.id === c.id);
    return now && ofClip(now);
  },
});

export const ofTrack = (t: Track): Enveloped => ({
  id: t.id,
  says: `the level of ${t.label}`,
  drawn: { in: 0, length: Number.MAX_SAFE_INTEGER, gain: t.gain },
  shift: 0,
  put: (gain) => ({ set_track: { id: t.id, gain } }),
  in: (reel) => {
    const now = reel.doc.tracks.find((o) => o.id === t.id);
    return now && ofTrack(now);
  },
});
