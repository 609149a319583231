import { create } from "zustand";

/** What the aside of the Weave stage is about. */
export const useWeaveChoice = create<{
  what: "track" | "bus" | "output" | "crossing";
  bus: string;
  output: number;
  track: string;
}>(() => ({
  what: "track",
  bus: "",
  output: 0,
  track: "",
}));

export const chooseTrack = () => useWeaveChoice.setState({ what: "track" });
export const chooseBus = (bus: string) => useWeaveChoice.setState({ what: "bus", bus });
/** A crossing of the product: a track on an output. */
export const chooseCrossing = (track: string, output: number) =>
  useWeaveChoice.setState({ what: "crossing", track, output });
export const chooseOutput = (output: number) => useWeaveChoice.setState({ what: "output", output });
