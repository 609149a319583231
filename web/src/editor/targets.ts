import type { Clip, Laid, Reel, Track } from "../api/client";
import type { Row } from "../timeline/geometry";
import { useEditor } from "./store";

/** The tracks that are chosen, in the order they are shown; the first track where none is. */
export function chosenTracks(rows: Row[]): Track[] {
  const { tracks } = useEditor.getState();
  const some = rows.filter((r) => tracks.includes(r.track.id)).map((r) => r.track);
  const first = rows[0]?.track;
  return some.length > 0 || !first ? some : [first];
}

/** The clip of a track that lies at a place. */
export const clipAt = (t: Track, at: number): Clip | undefined =>
  t.clips.findLast((c) => c.at <= at && at < c.at + c.length);

/** The clips that an action is about: those that are chosen, or those at the pointer on the chosen tracks. */
export function targets(rows: Row[]): Laid[] {
  const s = useEditor.getState();
  const chosen = rows.flatMap((r) =>
    r.track.clips.filter((c) => s.clips.has(c.id)).map((clip) => ({ track: r.track.id, clip })),
  );
  if (chosen.length > 0) return chosen;
  return chosenTracks(rows).flatMap((t) => {
    const clip = clipAt(t, s.pointer);
    return clip ? [{ track: t.id, clip }] : [];
  });
}

/** The next edge of clips on some tracks from a place on, or the one before. */
export function edgeFrom(tracks: Track[], at: number, later: boolean): number | null {
  let best: number | null = null;
  for (const t of tracks)
    for (const c of t.clips)
      for (const e of [c.at, c.at + c.length])
        if (later ? e > at && (best === null || e < best) : e < at && (best === null || e > best)) best = e;
  return best;
}

/** What is heard while tracks, clips or buses are soloed or muted, in words. */
export function listeningInWords(reel: Reel): string {
  const { solo, mute, heard } = useEditor.getState();
  const outputs = reel.doc.weave.outputs.flatMap((o, i) => (heard.has(i) ? [`${i + 1} ${o.name}`] : []));
  const on =
    outputs.length > 4
      ? `, ${outputs.length} outputs alone`
      : outputs.length > 0
        ? `, ${outputs.length > 1 ? "outputs" : "output"} ${outputs.join(", ")} alone`
        : "";
  const names = (ids: ReadonlySet<string>) => {
    const clips = reel.doc.tracks.flatMap((t) => t.clips.filter((c) => ids.has(c.id)).map((c) => c.name));
    return [
      ...reel.doc.weave.buses.filter((b) => ids.has(b.id)).map((b) => b.name),
      ...reel.doc.tracks.filter((t) => ids.has(t.id)).map((t) => t.label),
      ...(clips.length > 3 ? [`${clips.length} clips`] : clips),
    ].join(", ");
  };
  if (solo.size > 0) return `, ${names(solo)} alone${on}`;
  return (mute.size > 0 ? `, without ${names(mute)}` : "") + on;
}
