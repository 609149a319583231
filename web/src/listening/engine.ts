import { ListeningEngine } from "./ListeningEngine";
import { useListening, useMonitor } from "./monitor";

export * from "./monitor";

/** The one that the application listens with. */
export const engine = new ListeningEngine();

export const hear = engine.hear.bind(engine);
export const goOn = engine.goOn.bind(engine);
export const setLoop = engine.setLoop.bind(engine);
export const setMode = engine.setMode.bind(engine);
export const stop = engine.stop.bind(engine);
export const position = engine.position.bind(engine);
export const prepare = engine.prepare.bind(engine);
export const sidesHeard = engine.sidesHeard.bind(engine);

/** Hears reels on headphones, as from their speakers, or as they are folded down. */
export function setHeadphones(headphones: boolean) {
  useListening.setState({ headphones });
  const h = useMonitor.getState().hearing;
  if (h && "reel" in h.of) goOn();
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
  start: engine.record.bind(engine),
  taken: engine.recorded.bind(engine),
  position,
};
(globalThis as { listeningTape?: typeof tape }).listeningTape = tape;
