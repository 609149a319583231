import { create } from "zustand";
import type { WeaveChange } from "../../api/weave";

/** Changes the weave, in one step that can be undone. */
export type Change = (what: string, c: WeaveChange | WeaveChange[], onSettled?: () => void) => void;

/** What the aside of the Weave stage is about. */
export const useWeaveChoice = create<{
  what: "track" | "bus" | "output" | "crossing";
  bus: string;
  output: number;
  track: string;
  /** The buses and the groups of outputs whose heads are folded, by their IDs. */
  folded: ReadonlySet<string>;
}>(() => ({
  what: "track",
  bus: "",
  output: 0,
  track: "",
  folded: new Set(),
}));

/** Folds buses or groups of outputs into one column or row each, or, where all of them are, unfolds them. */
export function foldHeads(ids: readonly string[]) {
  useWeaveChoice.setState(({ folded }) => {
    const now = new Set(folded);
    const all = ids.every((id) => now.has(id));
    for (const id of ids) {
      if (all) now.delete(id);
      else now.add(id);
    }
    return { folded: now };
  });
}

/** How a group of outputs is called among what is folded: buses have IDs like groups. */
export const groupKey = (id: string) => `group ${id}`;

export const chooseTrack = () => useWeaveChoice.setState((s) => (s.what === "track" ? s : { what: "track" }));
export const chooseBus = (bus: string) => useWeaveChoice.setState({ what: "bus", bus });
/** A crossing of the product: a track on an output. */
export const chooseCrossing = (track: string, output: number) =>
  useWeaveChoice.setState({ what: "crossing", track, output });
export const chooseOutput = (output: number) => useWeaveChoice.setState({ what: "output", output });
