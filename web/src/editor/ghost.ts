import type { Clip, Schemas, Track } from "../api/client";

type Curve = Schemas["Curve"];

/** An edit that is being made by dragging, or on its way: drawn before the server has answered. */
export type Ghost =
  | { kind: "move"; clips: ReadonlySet<string>; by: number; onto: Readonly<Record<string, string>> }
  | { kind: "trim"; clips: ReadonlySet<string>; edge: "head" | "tail"; by: number }
  | { kind: "fade"; clips: ReadonlySet<string>; end: "in" | "out"; length: number }
  /** Of clips that end where others begin: `tails` are those that end. */
  | { kind: "crossfade"; clips: ReadonlySet<string>; tails: ReadonlySet<string>; meet: number; length: number }
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

/**
 * A crossfade that is dragged at an edge of a clip: where its fade is pulled over the clip that it touches there, or where
 * there is one already. `along` finds the kin that end where a clip does.
 */
export function crossfading(
  tracks: Track[],
  clip: Clip,
  end: "in" | "out",
  at: number,
  along: (first: Clip) => ReadonlySet<string>,
): Extract<Ghost, { kind: "crossfade" }> | null {
  const lane = tracks.find((t) => t.clips.some((c) => c.id === clip.id))?.clips ?? [];
  const i = lane.findIndex((c) => c.id === clip.id);
  const [first, second] = end === "out" ? [lane[i], lane[i + 1]] : [lane[i - 1], lane[i]];
  if (!first || !second || second.at > first.at + first.length) return null;
  const over = first.at + first.length - second.at;
  const meet = second.at + Math.floor(over / 2);
  const out = end === "out" ? at - meet : meet - at;
  if (over === 0 && out <= 0) return null; // pulled into its own clip: a fade
  const tails = along(first);
  const clips = new Set<string>();
  for (const t of tracks)
    t.clips.forEach((c, k) => {
      const next = t.clips[k + 1];
      if (!tails.has(c.id) || !next || next.at > c.at + c.length) return;
      clips.add(c.id);
      clips.add(next.id);
    });
  return { kind: "crossfade", clips, tails, meet, length: Math.round(2 * Math.abs(at - meet)) };
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
    case "crossfade": {
      const half = g.length / 2;
      const fade = (f: Clip["fade_in"]) => ({ shape: "equal_power" as const, ...f, length: g.length });
      if (g.tails.has(c.id)) return { ...c, length: g.meet + half - c.at, fade_out: fade(c.fade_out) };
      const at = g.meet - half;
      return { ...c, at, in: c.in + at - c.at, length: c.at + c.length - at, fade_in: fade(c.fade_in) };
    }
    case "fade": {
      const other = (g.end === "in" ? c.fade_out : c.fade_in)?.length ?? 0;
      const length = Math.max(0, Math.min(g.length, c.length - other));
      return g.end === "in"
        ? { ...c, fade_in: { ...c.fade_in, length } }
        : { ...c, fade_out: { ...c.fade_out, length } };
    }
  }
}
