import type { Schemas } from "../api/client";
import { gains, pitches, type Scale, thresholds } from "../editor/envelope";
import { valueAt } from "../timeline/curve";
import type { Chain } from "./treating";

type Curve = Schemas["Curve"];
/** Figures of a treatment over the reel's time. */
export type Moves = Schemas["TreatMoves"];
/** A figure that can move over time. */
export type FigureKey = "high_pass" | "low_pass" | "de_esser" | "expander" | "compressor" | `band_${number}`;

/** A figure of a chain that can move: what it is, its value where nothing is drawn, and what a lane's height stands for. */
export type Movable = { says: string; rest: number; scale: Scale };

/** The figure of a chain that a key stands for; null where the chain has no such part. */
export function movable(c: Chain, key: FigureKey): Movable | null {
  const band = /^band_(\d)$/.exec(key)?.[1];
  if (band) {
    const b = c.bands?.[Number(band) - 1];
    return b?.kind ? { says: `the gain of band ${band}`, rest: b.db, scale: gains } : null;
  }
  if (key === "high_pass" || key === "low_pass") {
    const p = c[key];
    return p?.hz ? { says: `the frequency of the ${key.replace("_", "-")}`, rest: p.hz, scale: pitches } : null;
  }
  const part = c[key as "de_esser" | "expander" | "compressor"];
  return part?.ratio
    ? { says: `the threshold of the ${key.replace("_", "-")}`, rest: part.threshold_db ?? 0, scale: thresholds }
    : null;
}

/** A chain as it is at a moment. */
export function chainAt(c: Chain, moves: Moves, at: number): Chain {
  const value = (key: FigureKey) => {
    const curve = moves[key];
    return curve && curve.length > 0 && movable(c, key) ? valueAt(curve, at) : undefined;
  };
  const pass = (key: "high_pass" | "low_pass") => {
    const p = c[key];
    const hz = value(key);
    return p && hz !== undefined ? { ...p, hz } : p;
  };
  return {
    ...c,
    high_pass: pass("high_pass"),
    low_pass: pass("low_pass"),
    bands: c.bands?.map((b, n) => ({ ...b, db: value(`band_${n + 1}`) ?? b.db })),
  };
}

/** Moves with another curve for one figure; without points, it stands. */
export function withCurve(moves: Moves | undefined, key: FigureKey, curve: Curve): Moves {
  const { [key]: _, ...others } = moves ?? {};
  return curve.length > 0 ? { ...others, [key]: curve } : others;
}
