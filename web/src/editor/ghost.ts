import type { Clip, Schemas, Track } from "../api/client";

type Curve = Schemas["Curve"];

/** An edit that is being made by dragging, or on its way: drawn before the server has answered. */
export type Ghost =
  | { kind: "move"; clips: ReadonlySet<string>; by: number; onto: Readonly<Record<string, string>> }
  | { kind: "trim"; clips: ReadonlySet<string>; edge: "head" | "tail"; by: number }
  | { kind: "fade"; clips: ReadonlySet<string>; end: "in" | "out"; length: number }
  /** Of what an envelope is drawn over, by its ID; `index` is the point that is carried. */
  | { kind: "curve"; clips: ReadonlySet<string>; gain: Curve; index?: number };

/** The clips that are edited together with some: those of their ties. */
export function kinOf(tracks: Track[], clips: ReadonlySet<string>): Set<string> {
  const ties = new Set<string>();
  for (const t of tracks) for (const c of t.clips) if (clips.has(c.id) && c.tie) ties.add(c.tie);
  const all = new Set(clips);
  if (ties.size > 0) for (const t of tracks) for (const c of t.clips) if (c.tie && ties.has(c.tie)) all.add(c.id);
  return all;
}

/** The points of something as they would be. */
export const pointsOf = (id: string, points: Curve | undefined, g: Ghost | null): Curve =>
  (g?.kind === "curve" && g.clips.has(id) ? g.gain : points) ?? [];

/** A clip as it would be. */
export function shownAs(c: Clip, g: Ghost | null): Clip {
  if (!g?.clips.has(c.id)) return c;
  switch (g.kind) {
    case "move":
      return { ...c, at: c.at + g.by };
    case "trim": {
      if (g.edge === "tail") return { ...c, length: Math.max(1, c.length + g.by) };
      const by = Math.min(c.length - 1, Math.max(-c.in, g.by));
      return { ...c, at: c.at + by, in: c.in + by, length: c.length - by };
    }
    case "curve":
      return { ...c, gain: g.gain };
    case "fade": {
      const other = (g.end === "in" ? c.fade_out : c.fade_in)?.length ?? 0;
      const length = Math.max(0, Math.min(g.length, c.length - other));
      return g.end === "in"
        ? { ...c, fade_in: { ...c.fade_in, length } }
        : { ...c, fade_out: { ...c.fade_out, length } };
    }
  }
}
