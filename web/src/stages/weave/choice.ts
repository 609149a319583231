import { create } from "zustand";

/** What the aside of the Weave stage is about. */
export const useWeaveChoice = create<{ what: "track" | "bus" | "output"; bus: string; output: number }>(() => ({
  what: "track",
  bus: "",
  output: 0,
}));

export const chooseTrack = () => useWeaveChoice.setState({ what: "track" });
export const chooseBus = (bus: string) => useWeaveChoice.setState({ what: "bus", bus });
export const chooseOutput = (output: number) => useWeaveChoice.setState({ what: "output", output });
