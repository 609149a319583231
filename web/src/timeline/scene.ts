import type { Clip, Reel } from "../api/client";
import { type Ghost, shownAs } from "../editor/ghost";
import type { Colours } from "./colours";
import { clipsIn, type Row, type View } from "./geometry";
import type { Tiles } from "./tiles";

/** All that the lanes are drawn from. */
export type Scene = {
  reel: Reel;
  rows: Row[];
  view: View;
  colours: Colours;
  tiles: Tiles;
  chosen: ReadonlySet<string>;
  tracks: readonly string[];
  ghost: Ghost | null;
  follow: boolean;
  louder: Readonly<Record<string, number>>;
  /** What is being drawn: see the editor. */
  drawing: string;
  /** What is said of a clip that is not at home; empty for one that is. */
  away: (c: Clip) => string;
  ratio: number;
};

/** The clips of a row as they are shown, those that are dragged onto it with them. */
export function inView(s: Scene, row: Row, from: number, to: number): Clip[] {
  const { ghost } = s;
  if (!ghost) return clipsIn(row.track.clips, from, to);
  if (ghost.kind !== "move") {
    return row.track.clips.map((c) => shownAs(c, ghost)).filter((c) => c.at < to && c.at + c.length > from);
  }
  const out: Clip[] = [];
  for (const other of s.rows) {
    const onto = ghost.onto[other.track.id] ?? other.track.id;
    if (other !== row && onto !== row.track.id) continue;
    for (const c of other.track.clips) {
      const moved = ghost.clips.has(c.id);
      const here = moved && s.chosen.has(c.id) ? onto === row.track.id : other === row;
      if (here) out.push(shownAs(c, ghost));
    }
  }
  return out.filter((c) => c.at < to && c.at + c.length > from);
}
