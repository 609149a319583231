import type { Clip, EditAction, Reel, Schemas, Track } from "../api/client";
import { type Drawn, levels, positions, type Scale } from "./envelope";
import { channelsOf, putRoute, routeOf } from "./routes";

type Curve = Schemas["Curve"];

/** What an envelope is drawn over: a clip's sound, with which it moves, or a track's time. */
export type Enveloped = {
  id: string;
  /** Of what, in words: "the envelope of E-1", "the level of Boom". */
  says: string;
  drawn: Drawn;
  scale: Scale;
  /** What it is where nothing is drawn. */
  rest: number;
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
  scale: levels,
  rest: 0,
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
  scale: levels,
  rest: 0,
  shift: 0,
  put: (gain) => ({ set_track: { id: t.id, gain } }),
  in: (reel) => {
    const now = reel.doc.tracks.find((o) => o.id === t.id);
    return now && ofTrack(now);
  },
});

/** Ways into two sides that are a position, and the law of panning that leaves what is heard as it is. */
const places: Record<string, { at: number; law: 0 | -3 }> = {
  both: { at: 0, law: 0 },
  both_minus: { at: 0, law: -3 },
  left: { at: -1, law: -3 },
  right: { at: 1, law: -3 },
};

/** A track's position between the sides of the bus that it is sent to; null where it has none. */
export function ofPosition(reel: Reel, t: Track): Enveloped | null {
  const send = routeOf(reel, t.id);
  const bus = reel.doc.weave.buses.find((b) => b.id === send?.to);
  const patch = send?.patch;
  if (!send || !bus || !patch || t.layout !== "mono" || channelsOf(reel, bus).length !== 2) return null;
  const still = patch.preset === "pan" ? { at: patch.position ?? 0, law: patch.law ?? 0 } : places[patch.preset ?? ""];
  if (!still) return null;
  return {
    id: `${t.id} position`,
    says: `the position of ${t.label}`,
    drawn: { in: 0, length: Number.MAX_SAFE_INTEGER, gain: patch.moving ?? [] },
    scale: positions,
    rest: still.at,
    shift: 0,
    put: (moving) =>
      putRoute(reel, t.id, {
        ...send,
        patch: { preset: "pan", law: still.law, position: still.at, ...(moving.length > 0 ? { moving } : {}) },
      }),
    in: (now) => {
      const track = now.doc.tracks.find((o) => o.id === t.id);
      return (track && ofPosition(now, track)) ?? undefined;
    },
  };
}

/** Whether what is drawn is of tracks, through their whole lanes. */
export const overLanes = (drawing: string) => drawing === "tracks" || drawing === "positions";

/** What is drawn of a track: its level, or where it stands. */
export const ofLane = (reel: Reel, t: Track, drawing: string): Enveloped | null =>
  drawing === "positions" ? ofPosition(reel, t) : ofTrack(t);
