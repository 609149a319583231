import { useEditor } from "./store";

/** Hears tracks, clips or buses alone, for listening only; where all of them are already, no longer. */
export const hearAlone = (ids: readonly string[]) => useEditor.setState((s) => ({ solo: turned(s.solo, ids) }));

/** Listens without tracks, clips or buses; where all of them are left out already, with them again. */
export const hearWithout = (ids: readonly string[]) => useEditor.setState((s) => ({ mute: turned(s.mute, ids) }));

/** Hears outputs alone, by their places, with others that are; where all of them are already, no longer. */
export const hearOutputs = (places: readonly number[]) =>
  useEditor.setState((s) => ({ heard: turned(s.heard, places) }));

/** Hears everything again: nothing alone, and nothing left out. */
export const hearAll = () => useEditor.setState({ solo: new Set(), mute: new Set(), heard: new Set() });

function turned<T>(were: ReadonlySet<T>, ids: readonly T[]): ReadonlySet<T> {
  const now = new Set(were);
  const all = ids.every((id) => now.has(id));
  for (const id of ids) {
    if (all) now.delete(id);
    else now.add(id);
  }
  return now;
}
