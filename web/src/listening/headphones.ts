import { type Hearing, useListening } from "./monitor";

const ears = ["left ear", "right ear"];

/** What is asked to be heard of a reel, on headphones where that is chosen, or no longer: then it has a channel an ear. */
export function onHeadphones(h: Hearing): Hearing {
  if (!("reel" in h.of) || h.of.identify) return h;
  const wanted = useListening.getState().headphones;
  if (wanted === (h.of.headphones ?? false)) return h;
  return wanted
    ? { ...h, of: { ...h.of, headphones: true }, speakers: h.labels, labels: ears, mode: { kind: "fold" } }
    : { ...h, of: { ...h.of, headphones: false }, labels: h.speakers ?? h.labels, mode: { kind: "fold" } };
}
