import type { Bus, EditAction, Reel, Send, Track } from "../api/client";
import type { ReelEdit } from "../api/reel";
import { rebased } from "./rebased";

/** How a track is put between the sides of its stem. */
export type Position = "both" | "both_minus" | "left" | "right" | "";

/** The positions that a track of a layout can be put at: one channel has sides, what is wider enters as it is. */
export const positionsOf = (track: Track): Position[] =>
  track.layout === "mono" ? ["both", "both_minus", "left", "right"] : [""];

/** The stems of a reel, in the weave's order. */
export const stemsOf = (reel: Reel): Bus[] => reel.doc.weave.buses.filter((b) => b.role === "stem");

/** The way from a track into its stem, if it has one. */
export const routeOf = (reel: Reel, track: string): Send | undefined => reel.doc.weave.sends[track]?.[0];

/** The stem that a track is sent to, by itself or as a part. */
export function stemOf(reel: Reel, track: string): Bus | undefined {
  const bus = reel.doc.weave.buses.find((b) => b.id === routeOf(reel, track)?.to);
  return bus?.role === "part" ? reel.doc.weave.buses.find((b) => b.id === bus.of) : bus;
}

/** The names of a bus's channels. */
export const channelsOf = (reel: Reel, bus: Bus): string[] => reel.worked_out.layouts[bus.layout] ?? [];

/** Replaces the first way out of a track; the others stay. */
export function putRoute(reel: Reel, track: string, first: Send | null): EditAction {
  const rest = (reel.doc.weave.sends[track] ?? []).slice(1);
  return { set_sends: { from: track, sends: first ? [first, ...rest.filter((s) => s.to !== first.to)] : [] } };
}

/**
 * Sends a track to a stem: as it has been sent, where it can enter so, else as one enters when nobody says otherwise, which the
 * server knows; or at a position.
 */
export function routeTo(track: Track, stem: Bus, position?: Position) {
  return (reel: Reel): ReelEdit => {
    const what = `send ${track.label} to ${stem.name}`;
    if (position === undefined) return { what, actions: [{ route: { track: track.id, to: stem.id } }] };
    const old = routeOf(reel, track.id) ?? { gain_db: 0 };
    return { what, actions: [putRoute(reel, track.id, { ...old, to: stem.id, patch: { preset: position } })] };
  };
}

/** Changes a part of how a track is sent, if it is. */
export function reroute(track: Track, what: string, part: (old: Send) => Partial<Send>) {
  return (reel: Reel): ReelEdit | null => {
    const old = routeOf(reel, track.id);
    return old ? { what, actions: [putRoute(reel, track.id, { ...old, ...part(old) })] } : null;
  };
}

/** Changes one of the ways out of a track or bus, done to it as it is when the edit's turn comes; null takes it away. */
export function putSend(from: string, what: string, shown: Send, changed: Send | null) {
  return (reel: Reel): ReelEdit | null => {
    const sends = reel.doc.weave.sends[from] ?? [];
    if (!sends.some((s) => s.to === shown.to)) return null;
    const next = sends.flatMap((s) => (s.to !== shown.to ? s : changed ? rebased(shown, changed, s) : []));
    return { what, actions: [{ set_sends: { from, sends: next } }] };
  };
}

/** Changes parts of a bus's level as it is in a reel. */
export function putLevel(
  reel: Reel,
  bus: string,
  part: Partial<NonNullable<Reel["doc"]["weave"]["levels"]>[string]>,
): EditAction {
  const is = reel.doc.weave.levels?.[bus];
  return { weave: { set_bus: { id: bus, level: { ...is, gain_db: is?.gain_db ?? 0, ...part } } } };
}

/** Sends a track to no stem. */
export const unroute = (track: Track) => (): ReelEdit => ({
  what: `send ${track.label} to no stem`,
  actions: [{ set_sends: { from: track.id, sends: [] } }],
});

/** Turns a track off or on: what it is not when the edit's turn comes. */
export function toggle({ id }: Track) {
  return (reel: Reel): ReelEdit | null => {
    const t = reel.doc.tracks.find((o) => o.id === id);
    return t
      ? { what: `turn ${t.label} ${t.off ? "on" : "off"}`, actions: [{ set_track: { id, off: !t.off } }] }
      : null;
  };
}
