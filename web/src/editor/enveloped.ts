import type { Clip, EditAction, Patch, Reel, Schemas, Track } from "../api/client";
import { type FigureKey, movable, withCurve } from "../treatment/moving";
import {
  bearings,
  type Drawn,
  heights,
  inwards,
  levels,
  positions,
  rolls,
  type Scale,
  spreads,
  tilts,
  toLFE,
} from "./envelope";
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

/** A way between two sides as a position, and what draws it over time; null where it is none. */
function between(patch: Patch, channels: number) {
  if (channels === 2) {
    if (patch.preset && patch.preset !== "balance") return null;
    const at = patch.position ?? 0;
    return {
      at,
      moving: (moving: Curve): Patch => ({ preset: "balance", width: patch.width, position: at, ...drawn(moving) }),
    };
  }
  const still = patch.preset === "pan" ? { at: patch.position ?? 0, law: patch.law ?? 0 } : places[patch.preset ?? ""];
  if (channels !== 1 || !still) return null;
  return {
    at: still.at,
    moving: (moving: Curve): Patch => ({ preset: "pan", law: still.law, position: still.at, ...drawn(moving) }),
  };
}

const drawn = (moving: Curve) => (moving.length > 0 ? { moving } : {});

/**
 * A track's position in the bus that it is sent to: between the sides of one of two, or the direction of one channel that is
 * placed among speakers. Null where it has none.
 */
export function ofPosition(reel: Reel, t: Track): Enveloped | null {
  const send = routeOf(reel, t.id);
  const bus = reel.doc.weave.buses.find((b) => b.id === send?.to);
  if (!send || !bus) return null;
  const lane = {
    id: `${t.id} position`,
    says: `the position of ${t.label}`,
    shift: 0,
    in: (now: Reel) => {
      const track = now.doc.tracks.find((o) => o.id === t.id);
      return (track && ofPosition(now, track)) ?? undefined;
    },
  };
  const put = (patch: Patch) => putRoute(reel, t.id, { ...send, patch });
  const whole = { in: 0, length: Number.MAX_SAFE_INTEGER };
  const [place, more] = send.patch.preset === "placed" ? (send.patch.places ?? []) : [];
  if (place && !more) {
    const { azimuth: was, ...others } = place.moving ?? {};
    return {
      ...lane,
      drawn: { ...whole, gain: was ?? [] },
      scale: bearings,
      rest: place.azimuth ?? 0,
      put: (azimuth) => {
        const moving = azimuth.length > 0 ? { ...others, azimuth } : others;
        return put({
          ...send.patch,
          places: [{ ...place, moving: Object.keys(moving).length > 0 ? moving : undefined }],
        });
      },
    };
  }
  if (channelsOf(reel, bus).length !== 2) return null;
  const way = between(send.patch, reel.worked_out.layouts[t.layout]?.length ?? 1);
  return (
    way && {
      ...lane,
      drawn: { ...whole, gain: send.patch.moving ?? [] },
      scale: positions,
      rest: way.at,
      put: (moving) => put(way.moving(moving)),
    }
  );
}

/** A clip's position between the sides of its track; null where the track has no two sides, or the clip no one place. */
export function ofClipPosition(reel: Reel, t: Track, c: Clip): Enveloped | null {
  const sides = reel.worked_out.layouts[t.layout] ?? [];
  if (sides.length !== 2 || sides[0] !== "L") return null;
  const patch = c.patch ?? {};
  const way = between(c.strands.length === 1 && !patch.preset ? { preset: "both" } : patch, c.strands.length);
  return (
    way && {
      id: `${c.id} position`,
      says: `the position of ${c.name}`,
      drawn: { in: c.in, length: c.length, gain: patch.moving ?? [] },
      scale: positions,
      rest: way.at,
      shift: c.in - c.at,
      put: (moving) => ({ set: { clips: [c.id], patch: way.moving(moving) } }),
      in: (now) => {
        for (const track of now.doc.tracks)
          for (const clip of track.clips) if (clip.id === c.id) return ofClipPosition(now, track, clip) ?? undefined;
        return undefined;
      },
    }
  );
}

/** What of a sound that is placed among speakers, or of a sound field, can be drawn over time, beside its direction. */
export const placeKeys = {
  yaw: { name: "turn", scale: bearings },
  pitch: { name: "tilt", scale: tilts },
  roll: { name: "roll", scale: rolls },
  elevation: { name: "height", scale: heights },
  inward: { name: "way to the middle", scale: inwards },
  spread: { name: "spread", scale: spreads },
  lfe_db: { name: "LFE amount", scale: toLFE },
} as const;
export type PlaceKey = keyof typeof placeKeys;

type TurnKey = "yaw" | "pitch" | "roll";
const turns = (key: PlaceKey): key is TurnKey => key === "yaw" || key === "pitch" || key === "roll";

/** An angle of a track's sound field on its way into a bus, over time; null where it is none, or goes another way. */
function ofTurn(reel: Reel, t: Track, key: TurnKey): Enveloped | null {
  const send = routeOf(reel, t.id);
  const bus = reel.doc.weave.buses.find((b) => b.id === send?.to);
  if (!send || !bus?.layout.startsWith("ambisonic") || !t.layout.startsWith("ambisonic")) return null;
  if (send.patch.preset && send.patch.preset !== "field") return null;
  const { [key]: was, ...others } = send.patch.turning ?? {};
  const { name, scale } = placeKeys[key];
  return {
    id: `${t.id} ${key}`,
    says: `the ${name} of ${t.label}`,
    drawn: { in: 0, length: Number.MAX_SAFE_INTEGER, gain: was ?? [] },
    scale,
    rest: send.patch.turn?.[key] ?? 0,
    shift: 0,
    put: (curve) => {
      const turning = curve.length > 0 ? { ...others, [key]: curve } : others;
      const { turning: _, ...still } = send.patch;
      const moves = Object.keys(turning).length > 0 ? { turning } : {};
      return putRoute(reel, t.id, { ...send, patch: { ...still, preset: "field", ...moves } });
    },
    in: (now) => {
      const track = now.doc.tracks.find((o) => o.id === t.id);
      return (track && ofTurn(now, track, key)) ?? undefined;
    },
  };
}

/** A figure of where a track's one channel is placed, or of how its sound field is turned, over time; null where it is neither. */
export function ofPlace(reel: Reel, t: Track, key: PlaceKey): Enveloped | null {
  if (turns(key)) return ofTurn(reel, t, key);
  const send = routeOf(reel, t.id);
  const [place, more] = send?.patch.preset === "placed" ? (send.patch.places ?? []) : [];
  if (!send || !place || more || (key === "lfe_db" && !place.lfe)) return null;
  const { name, scale } = placeKeys[key];
  const { [key]: was, ...others } = place.moving ?? {};
  return {
    id: `${t.id} ${key}`,
    says: `the ${name} of ${t.label}`,
    drawn: { in: 0, length: Number.MAX_SAFE_INTEGER, gain: was ?? [] },
    scale,
    rest: place[key] ?? 0,
    shift: 0,
    put: (curve) => {
      const moving = curve.length > 0 ? { ...others, [key]: curve } : others;
      const now = { ...place, moving: Object.keys(moving).length > 0 ? moving : undefined };
      return putRoute(reel, t.id, { ...send, patch: { ...send.patch, places: [now] } });
    },
    in: (now) => {
      const track = now.doc.tracks.find((o) => o.id === t.id);
      return (track && ofPlace(now, track, key)) ?? undefined;
    },
  };
}

/** The figure of a place that is drawn, if one is. */
export const placeOf = (drawing: string): PlaceKey | null =>
  drawing.startsWith("place ") ? (drawing.slice("place ".length) as PlaceKey) : null;

/** A figure of a track's treatment over time; null where its treatment has no such part. */
export function ofFigure(t: Track, key: FigureKey): Enveloped | null {
  const figure = movable(t.treat ?? {}, key);
  return (
    figure && {
      id: `${t.id} ${key}`,
      says: `${figure.says} of ${t.label}`,
      drawn: { in: 0, length: Number.MAX_SAFE_INTEGER, gain: t.treat_moves?.[key] ?? [] },
      scale: figure.scale,
      rest: figure.rest,
      shift: 0,
      put: (curve) => ({ set_track: { id: t.id, treat_moves: withCurve(t.treat_moves, key, curve) } }),
      in: (reel) => {
        const now = reel.doc.tracks.find((o) => o.id === t.id);
        return (now && ofFigure(now, key)) ?? undefined;
      },
    }
  );
}

/** The figure that is drawn, if one is. */
export const figureOf = (drawing: string): FigureKey | null =>
  drawing.startsWith("treated ") ? (drawing.slice("treated ".length) as FigureKey) : null;

/** Whether what is drawn is of tracks, through their whole lanes. */
export const overLanes = (drawing: string) =>
  drawing === "tracks" || drawing === "positions" || figureOf(drawing) !== null || placeOf(drawing) !== null;

/** What is drawn of a track: its level, where it stands, or a figure of its treatment. */
export function ofLane(reel: Reel, t: Track, drawing: string): Enveloped | null {
  const figure = figureOf(drawing);
  if (figure) return ofFigure(t, figure);
  const place = placeOf(drawing);
  if (place) return ofPlace(reel, t, place);
  return drawing === "positions" ? ofPosition(reel, t) : ofTrack(t);
}

/** What is drawn of a clip: its level, or where it stands. */
export const ofSound = (reel: Reel, t: Track, c: Clip, drawing: string): Enveloped | null =>
  drawing === "places" ? ofClipPosition(reel, t, c) : ofClip(c);
