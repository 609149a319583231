import { useEditor } from "../editor/store";
import { heights as bounds, type Row } from "./geometry";

/** Heights of tracks by name, in CSS pixels; the window is as high as the lanes are. */
export const named = { hairline: bounds.least, row: 48, rows: 144 };

const ladder = [named.hairline, 20, 32, named.row, 72, 96, named.rows, 216, 324];

/** Gives tracks a height of their own, or null for the one that they have when the window is shared. */
export function setHeights(ids: readonly string[], height: number | null) {
  useEditor.setState(({ heights: was }) => {
    const next = { ...was };
    for (const id of ids)
      if (height === null) delete next[id];
      else next[id] = Math.max(bounds.least, Math.min(bounds.most, Math.round(height)));
    return { heights: next };
  });
}

/** The next height of a row, of those that keys go through, the last of which is the window. */
export function step(height: number, up: boolean, room: number): number {
  const steps = [...ladder.filter((h) => h < room), Math.max(room, bounds.least)];
  const next = up ? steps.find((h) => h > height + 1) : steps.findLast((h) => h < height - 1);
  return next ?? (up ? room : bounds.least);
}

/** Those of the rows that a change of looks is about: the chosen ones, or all where none is. */
export function meant(rows: Row[]): Row[] {
  const { tracks } = useEditor.getState();
  const chosen = rows.filter((r) => tracks.includes(r.track.id));
  return chosen.length > 0 ? chosen : rows;
}

const most = 6; // doublings

/** Draws waveforms of tracks louder or softer to the eye, by doublings; nothing that is heard changes. */
export function look(ids: readonly string[], by: 1 | -1) {
  useEditor.setState(({ louder: was }) => {
    const next = { ...was };
    for (const id of ids) {
      const now = Math.max(0, Math.min(most, (next[id] ?? 0) + by));
      if (now === 0) delete next[id];
      else next[id] = now;
    }
    return { louder: next };
  });
}
