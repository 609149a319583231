import type { Clip, Reel, ReelEdited, Track } from "../api/client";

const byTime = (a: Clip, b: Clip) => a.at - b.at || (a.id < b.id ? -1 : 1);

/**
 * A reel after changes that were made to the version that it is at. Tracks whose clips did not change keep their lists, so
 * that what is drawn of them can stay.
 */
export function patched(reel: Reel, e: ReelEdited): Reel {
  const next = {
    ...reel,
    name: e.name,
    spec: e.spec,
    version: e.version,
    worked_out: { ...reel.worked_out, ...e.worked_out },
  };
  if (e.whole) return { ...next, doc: e.whole };
  const c = e.changes ?? {};
  const weave = { ...reel.doc.weave, ...(c.routing ?? {}) };
  if (c.routing && !c.routing.groups) weave.groups = undefined;
  if (c.routing && !c.routing.levels) weave.levels = undefined;
  if (c.routing && !c.routing.corrections) weave.corrections = undefined;
  if (c.routing && !c.routing.law) weave.law = undefined;
  if (c.sends) {
    weave.sends = { ...weave.sends };
    for (const [id, sends] of Object.entries(c.sends)) {
      if (sends.length === 0) delete weave.sends[id];
      else weave.sends[id] = sends;
    }
  }
  return {
    ...next,
    doc: {
      ...reel.doc,
      start: c.begin ? (c.begin.start ?? null) : reel.doc.start,
      length: c.length ? (c.length.length ?? undefined) : reel.doc.length,
      markers: c.markers ?? reel.doc.markers,
      rate: c.rate ? c.rate.rate : reel.doc.rate,
      pictures: c.pictures ?? reel.doc.pictures,
      cut: c.cut ?? reel.doc.cut,
      tracks: tracksAfter(reel.doc.tracks, c),
      weave,
    },
  };
}

function tracksAfter(was: Track[], c: NonNullable<ReelEdited["changes"]>): Track[] {
  const tracks = new Map(was.map((t) => [t.id, t]));
  for (const t of c.tracks ?? []) tracks.set(t.id, { ...t, clips: tracks.get(t.id)?.clips ?? [] });
  const moved = new Set([...(c.gone ?? []), ...(c.clips ?? []).map((l) => l.clip.id)]);
  if (moved.size > 0) {
    const onto = new Map<string, Clip[]>();
    for (const l of c.clips ?? []) onto.set(l.track, [...(onto.get(l.track) ?? []), l.clip]);
    for (const [id, t] of tracks) {
      const come = onto.get(id);
      if (!come && !t.clips.some((clip) => moved.has(clip.id))) continue;
      const clips = t.clips.filter((clip) => !moved.has(clip.id));
      clips.push(...(come ?? []));
      tracks.set(id, { ...t, clips: clips.sort(byTime) });
    }
  }
  if (!c.order) return [...tracks.values()];
  return c.order.flatMap((id) => tracks.get(id) ?? []);
}
