import { create } from "zustand";
import type { EditAction, Reel, Schemas } from "../api/client";
import { putLevel } from "../editor/routes";
import type { Moves } from "./moving";

export type Chain = Schemas["TreatChain"];
export type Band = Schemas["TreatBand"];

/** What is treated now: a track or a bus of a reel, and a chain that was copied. */
export const useTreating = create<{ reel: string; of: string; copied: Chain | null }>(() => ({
  reel: "",
  of: "",
  copied: null,
}));

export const openTreatment = (reel: Reel, of: string) =>
  useTreating.setState((s) => (s.of === of && s.reel === reel.id ? { of: "" } : { reel: reel.id, of }));

/** A track or a bus that can be treated. */
export type Treated = {
  id: string;
  name: string;
  chain: Chain;
  put: (chain: Chain) => EditAction;
  /** Figures of it over time, of a track as they are drawn in its lane. */
  moves: Moves;
  putMoves: (moves: Moves) => EditAction;
  lane: boolean;
};

/** What of a reel an ID stands for; undefined where it is gone. */
export function treatedOf(reel: Reel, id: string): Treated | undefined {
  const track = reel.doc.tracks.find((t) => t.id === id);
  if (track)
    return {
      id,
      name: track.label,
      chain: track.treat ?? {},
      put: (treat) => ({ set_track: { id, treat } }),
      moves: track.treat_moves ?? {},
      putMoves: (treat_moves) => ({ set_track: { id, treat_moves } }),
      lane: true,
    };
  const bus = reel.doc.weave.buses.find((b) => b.id === id);
  if (!bus) return undefined;
  const level = reel.doc.weave.levels?.[id];
  return {
    id,
    name: bus.name,
    chain: level?.treat ?? {},
    put: (treat) => putLevel(reel, id, { treat }),
    moves: level?.treat_moves ?? {},
    putMoves: (treat_moves) => putLevel(reel, id, { treat_moves }),
    lane: false,
  };
}

/** Whether a chain does anything. */
export const treats = (c: Chain | undefined): boolean =>
  !!c &&
  !c.off &&
  !!(
    c.high_pass?.hz ||
    c.low_pass?.hz ||
    c.bands?.some((b) => b.kind && b.db !== 0) ||
    c.de_esser?.hz ||
    c.expander?.ratio ||
    c.compressor?.ratio
  );

/** Whether it turns down by the level. */
export const dynamic = (c: Chain): boolean => !c.off && !!(c.de_esser?.hz || c.expander?.ratio || c.compressor?.ratio);

export const kinds = { bell: "bell", low_shelf: "low shelf", high_shelf: "high shelf" } as const;

/** What a further band begins as: the first is low, the next ones higher. */
export const nextBand = (n: number): Band => ({
  kind: "bell",
  hz: [200, 500, 1200, 3000, 6000, 10000][n] ?? 1000,
  db: 0,
  q: 1,
});

/** What dynamics begin as, when they are asked for. */
export const begin = {
  de_esser: { hz: 5500, threshold_db: -30, ratio: 4, range_db: 8, attack_ms: 1, release_ms: 60 },
  expander: { threshold_db: -50, ratio: 2, range_db: 12, attack_ms: 2, release_ms: 120 },
  compressor: { threshold_db: -24, ratio: 3, knee_db: 6, attack_ms: 8, release_ms: 120, makeup_db: 0 },
} as const;
