import type { EditAction, Laid, Reel } from "../api/client";
import type { Copied } from "./store";

/**
 * What pastes clips into a reel, so many samples later: on their own tracks, or, in another reel, on those of the same label
 * and layout, or else on new ones below the others.
 */
export function pasting(reel: Reel, copied: readonly Copied[], by: number, newId: () => string) {
  const made: EditAction[] = [];
  const onto = new Map<string, string>(); // by the track that they lay on
  const taken = new Set<string>();
  let index = reel.doc.tracks.length;
  for (const c of copied) {
    if (onto.has(c.track)) continue;
    const own = reel.doc.tracks.find((t) => t.id === c.track);
    const alike = own ?? reel.doc.tracks.find((t) => t.label === c.label && t.layout === c.layout && !taken.has(t.id));
    const id = alike?.id ?? newId();
    if (!alike)
      made.push({
        add_track: { index: index++, track: { id, label: c.label, layout: c.layout, off: false, clips: [] } },
      });
    taken.add(id);
    onto.set(c.track, id);
  }
  const clips: Laid[] = copied.map(({ track, clip }) => ({ track: onto.get(track) ?? track, clip }));
  return { tracks: made.length, actions: [...made, { paste: { clips, by, over: true } } satisfies EditAction] };
}
