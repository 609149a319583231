import { ListeningEngine } from "./ListeningEngine";
import type { MonitorMode } from "./matrix";
import type { Hearing } from "./monitor";
import { useListening, useMonitor } from "./monitor";

export * from "./monitor";

/** The one that the application listens with. */
export const engine = new ListeningEngine();

export const hear = (asked: Hearing, latched = false, follow = false) => engine.hear(asked, latched, follow);
export const goOn = (change: Partial<Hearing> = {}) => engine.goOn(change);
export const setLoop = (loop: { from: number; to: number } | undefined) => engine.setLoop(loop);
export const setMode = (mode: MonitorMode, says?: string) => engine.setMode(mode, says);
export const stop = () => engine.stop();
export const position = () => engine.position();
export const prepare = (sampleRate: number) => engine.prepare(sampleRate);
export const sidesHeard = () => engine.sidesHeard();

/** Hears reels on headphones, as from their speakers, or as they are folded down. */
export function setHeadphones(headphones: boolean) {
  useListening.setState({ headphones });
  const h = useMonitor.getState().hearing;
  if (h && "reel" in h.of) engine.goOn();
}

/** Puts the lights out that say that full scale was reached. */
export function clearClips() {
  useMonitor.setState({ clipped: [], held: [] });
}

/**
 * What is really played, sample by sample: for measurements and for support. `start` keeps so many seconds
 * from then on, `taken` gives the left and the right of what has been kept.
 */
export const tape = {
  start: (sampleRate: number, seconds: number) => engine.record(sampleRate, seconds),
  taken: (sampleRate: number) => engine.recorded(sampleRate),
  position,
};
(globalThis as { listeningTape?: typeof tape }).listeningTape = tape;
