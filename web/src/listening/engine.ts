import { create } from "zustand";

/** What is asked to be heard. */
export type Hearing = {
  strand: string;
  /** Frame of the strand to begin at. */
  from: number;
  sampleRate: number;
  /** Said in the monitor strip: "strand 4, Lav Ines, take 21A-3". */
  says: string;
  /** Samples since midnight at the strand's first frame, or null. */
  start: number | null;
};

type Monitor = {
  hearing: Hearing | null;
  /** Frame of the strand that sounds now. */
  at: number;
  /** Peak of the last moment, 0 to 1 and beyond. */
  level: number;
  /** Highest peak since the listening began. */
  held: number;
  latched: boolean;
  /** Milliseconds from the key to the first sample, for the last listening. */
  delay: number | null;
  error: string | null;
};

/** The state of the monitor: separate from routing, never a part of what is delivered. */
export const useMonitor = create<Monitor>(() => ({
  hearing: null,
  at: 0,
  level: 0,
  held: 0,
  latched: false,
  delay: null,
  error: null,
}));

type Player = { context: AudioContext; node: AudioWorkletNode };
const players = new Map<number, Promise<Player>>();
let current: { id: number; stop: () => void; player?: Player } | null = null;
let nextId = 1;

/** One context a sample rate: the browser then converts to its device, not we. */
function player(sampleRate: number): Promise<Player> {
  let p = players.get(sampleRate);
  if (!p) {
    p = (async () => {
      const context = new AudioContext({ sampleRate, latencyHint: "interactive" });
      await context.audioWorklet.addModule("/listening-worklet.js");
      const node = new AudioWorkletNode(context, "listening", { numberOfInputs: 0, outputChannelCount: [2] });
      node.connect(context.destination);
      return { context, node };
    })();
    p.catch(() => players.delete(sampleRate));
    players.set(sampleRate, p);
  }
  return p;
}

/** Makes the audio path ready at the first gesture, so that the first listening is as quick as any. */
export function prepare(sampleRate: number) {
  void player(sampleRate).then((p) => p.context.resume());
}

/** Plays a strand alone, until stop, the end, or another hear. */
export async function hear(h: Hearing, latched = false) {
  const pressed = performance.now();
  current?.stop();
  const id = nextId++;
  const abort = new AbortController();
  const mine: NonNullable<typeof current> = { id, stop: () => abort.abort() };
  current = mine;
  useMonitor.setState({ hearing: h, at: h.from, level: 0, held: 0, latched, delay: null, error: null });
  try {
    // The sound is asked for while the audio path gets ready.
    const asked = fetch(`/api/strands/${h.strand}/sound?from=${Math.max(0, Math.round(h.from))}`, {
      signal: abort.signal,
    });
    asked.catch(() => undefined);
    const p = await player(h.sampleRate);
    mine.player = p;
    if (p.context.state !== "running") await p.context.resume();
    if (current !== mine) return;
    let played = 0;
    let wake = () => {};
    p.node.port.onmessage = ({ data }) => {
      if (data.id !== id) return;
      played = data.played;
      wake();
      if (current !== mine) return;
      useMonitor.setState((m) => ({
        at: h.from + data.played,
        level: data.level,
        held: Math.max(m.held, data.level),
        delay: data.first === undefined ? m.delay : performance.now() - pressed,
      }));
      if (data.ended) {
        current = null;
        useMonitor.setState({ hearing: null, level: 0, latched: false });
      }
    };
    p.node.port.postMessage({ start: id });
    const answer = await asked;
    if (!answer.ok || !answer.body) throw new Error(`The sound could not be read (${answer.status}).`);
    const reader = answer.body.getReader();
    let rest = new Uint8Array(0);
    let sent = 0;
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      const all = new Uint8Array(rest.length + value.length);
      all.set(rest);
      all.set(value, rest.length);
      const whole = all.length - (all.length % 4);
      rest = all.slice(whole);
      const samples = new Float32Array(all.buffer.slice(0, whole));
      sent += samples.length;
      p.node.port.postMessage({ id, samples }, [samples.buffer]);
      // Ten seconds ahead are plenty: a long recording is not fetched whole.
      while (sent - played > h.sampleRate * 10 && !abort.signal.aborted) {
        await new Promise<void>((resolve) => {
          wake = resolve;
          abort.signal.addEventListener("abort", () => resolve(), { once: true });
        });
      }
      if (abort.signal.aborted) {
        await reader.cancel();
        return;
      }
    }
    p.node.port.postMessage({ id, end: true });
  } catch (e) {
    if (abort.signal.aborted) return;
    current = null;
    useMonitor.setState({ hearing: null, latched: false, error: e instanceof Error ? e.message : String(e) });
  }
}

/** Ends listening. */
export function stop() {
  const c = current;
  current = null;
  c?.stop();
  c?.player?.node.port.postMessage({ stop: true });
  useMonitor.setState({ hearing: null, level: 0, held: 0, latched: false });
}
