import { create } from "zustand";
import { matrixOf, type Way, wayInWords } from "./matrix";
import { type Head, Parser } from "./stream";

/** What is asked to be heard. */
export type Hearing = {
  /** Names of sound on one clock, the pair of recordings that is compared, or a reel or something of it. */
  of:
    | { strands: string[] }
    | { pair: string; ref?: string; take?: string }
    | {
        reel: string;
        track?: string;
        bus?: string;
        solo?: string[];
        mute?: string[];
        doing?: string;
        identify?: boolean;
        /** Without corrections, as it was before them. */
        uncorrected?: boolean;
        /** Added for the listening alone. */
        gainDb?: number;
        /** As its speakers are heard by a head in their midst. */
        headphones?: boolean;
      };
  /** What the channels are called, in order. */
  labels: string[];
  /** What they are called where it is heard on headphones, with a channel an ear. */
  speakers?: string[];
  /** Position on that clock to begin at, in samples. */
  from: number;
  /** The stretch that is heard over and over, if any. */
  loop?: { from: number; to: number };
  sampleRate: number;
  /** Heard at the rate of a reel and with drift corrected, as it is used; otherwise as recorded. */
  used?: boolean;
  /** Made as loud as the first, to be compared. */
  match?: boolean;
  /** Said in the monitor strip: "strand 4, Lav Ines, take 21A-3". */
  says: string;
  /** Samples since midnight where the clock begins, or null. */
  start: number | null;
  way: Way;
  /** It goes along with the cursor of the sheet. */
  follows?: boolean;
};

/** What the meters read of a channel: full scale 1. */
export type Reading = { peak: number; ppm: number };

/** Loudness of what was heard so far, folded down, in LUFS and dBTP; minus infinity for silence. */
export type Loudness = { momentary: number; shortTerm: number; integrated: number; truePeak: number };

type Monitor = {
  hearing: Hearing | null;
  /** Position on the clock of what is heard that sounds now. */
  at: number;
  readings: Reading[];
  /** Null where it is not measured: at another speed than its own. */
  loudness: Loudness | null;
  /** Highest peak of each channel since the listening began. */
  held: number[];
  /** Channels that have reached full scale, until that is cleared. */
  clipped: boolean[];
  latched: boolean;
  /** How it is heard, in words. */
  way: string;
  /** dB by which each channel was matched. */
  gains: number[];
  /** Milliseconds from the key to the first sample, for the last listening. */
  delay: number | null;
  /** Times that there was no sound to play since the listening began. */
  gaps: number;
  /** Times that a loop has begun. */
  rounds: number;
  error: string | null;
  scrubbing: boolean;
};

/** The state of the monitor: separate from routing, never a part of what is delivered. */
export const useMonitor = create<Monitor>(() => ({
  hearing: null,
  at: 0,
  readings: [],
  loudness: null,
  held: [],
  clipped: [],
  latched: false,
  way: "",
  gains: [],
  delay: null,
  gaps: 0,
  rounds: 0,
  error: null,
  scrubbing: false,
}));

/** How loud and how fast one listens. */
export const useListening = create<{
  gainDb: number;
  dim: boolean;
  speed: 0.5 | 1 | 2;
  keepPitch: boolean;
  /** Outputs of the browser beyond the first two are used. */
  outputs: number;
  /** Reels are heard on headphones, as from their speakers. */
  headphones: boolean;
}>(() => ({ gainDb: 0, dim: false, speed: 1, keepPitch: true, outputs: 2, headphones: false }));

/** dB by which dim lowers. */
export const dimDb = -20;

type Player = { context: AudioContext; node: AudioWorkletNode; outputs: number; sides: [AnalyserNode, AnalyserNode] };
type Session = { id: number; hearing: Hearing; stop: () => void; player?: Player; head?: Head };

const players = new Map<number, Promise<Player>>();
let current: Session | null = null;
let nextId = 1;
/** The last that the worklet said: a position on the clock and the context's time at which it sounds. */
let said: { id: number; at: number; speed: number; time: number; played: number } | null = null;

/** One context a sample rate: the browser then converts to its device, not we. */
function player(sampleRate: number): Promise<Player> {
  let p = players.get(sampleRate);
  if (!p) {
    p = (async () => {
      const context = new AudioContext({ sampleRate, latencyHint: "interactive" });
      await context.audioWorklet.addModule("/listening-worklet.js");
      const outputs = Math.min(32, Math.max(2, context.destination.maxChannelCount));
      if (outputs > 2) {
        context.destination.channelCount = outputs;
        context.destination.channelInterpretation = "discrete";
      }
      const node = new AudioWorkletNode(context, "listening", {
        numberOfInputs: 0,
        outputChannelCount: [outputs],
        channelInterpretation: "discrete",
      });
      node.connect(context.destination);
      const split = new ChannelSplitterNode(context, { numberOfOutputs: outputs });
      const side = (i: number) => {
        const a = new AnalyserNode(context, { fftSize: 8192 });
        split.connect(a, i);
        return a;
      };
      node.connect(split);
      const made: Player = { context, node, outputs, sides: [side(0), side(1)] };
      node.port.onmessage = ({ data }) => told(made, data);
      node.port.postMessage({ gain: gainNow() });
      useListening.setState({ outputs });
      return made;
    })();
    p.catch(() => players.delete(sampleRate));
    players.set(sampleRate, p);
  }
  return p;
}

function gainNow() {
  const s = useListening.getState();
  return 10 ** ((s.gainDb + (s.dim ? dimDb : 0)) / 20);
}

useListening.subscribe((now, before) => {
  if (now.gainDb !== before.gainDb || now.dim !== before.dim) {
    for (const p of players.values()) void p.then((p) => p.node.port.postMessage({ gain: gainNow() }));
  }
  if (now.speed !== before.speed || (now.keepPitch !== before.keepPitch && now.speed !== 1)) reopen();
});

/** Hears reels on headphones, as from their speakers, or as they are folded down. */
export function setHeadphones(headphones: boolean) {
  useListening.setState({ headphones });
  const h = useMonitor.getState().hearing;
  if (h && "reel" in h.of) goOn();
}

/** Makes the audio path ready at the first gesture, so that the first listening is as quick as any. */
export function prepare(sampleRate: number) {
  void player(sampleRate).then((p) => p.context.resume());
}

const lastSides: [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>] = [
  new Float32Array(8192),
  new Float32Array(8192),
];

/** The last fifth of a second of both sides as they are heard; null while nothing is. Valid until the next call. */
export function sidesHeard(): [Float32Array, Float32Array] | null {
  const p = current?.player;
  if (!p) return null;
  for (const i of [0, 1] as const) p.sides[i].getFloatTimeDomainData(lastSides[i]);
  return lastSides;
}

/** Where what is heard is now, as near as can be told: on its clock, in samples. */
export function position(): number {
  const m = useMonitor.getState();
  const p = current?.player;
  if (!m.hearing || !p || !said || said.id !== current?.id) return m.at;
  const since = p.context.currentTime - said.time - (p.context.outputLatency || 0);
  const at = said.at + since * said.speed * p.context.sampleRate;
  const loop = m.hearing.loop;
  return loop ? Math.min(loop.to, Math.max(loop.from, at)) : at;
}

function told(p: Player, data: Record<string, unknown> & { meters?: Float32Array; loudness?: Float32Array }) {
  if (data.recorded) {
    recorded?.(data.recorded as Float32Array[]);
    return;
  }
  if (!current || data.id !== current.id || current.player !== p) return;
  if (data.ended) {
    current = null;
    useMonitor.setState({ hearing: null, readings: [], loudness: null, latched: false });
    return;
  }
  const at = data.at as number;
  said = {
    id: current.id,
    at,
    speed: data.speed as number,
    time: data.time as number,
    played: data.played as number,
  };
  pulled?.();
  const meters = data.meters ?? new Float32Array(0);
  const [momentary, shortTerm, integrated, truePeak] = data.loudness ?? [];
  const loudness =
    momentary === undefined || shortTerm === undefined || integrated === undefined || truePeak === undefined
      ? null
      : { momentary, shortTerm, integrated, truePeak };
  useMonitor.setState((m) => {
    const readings: Reading[] = [];
    const held = [...m.held];
    let clipped = m.clipped;
    for (let c = 0; 3 * c < meters.length; c++) {
      const peak = meters[3 * c] ?? 0;
      readings.push({ peak, ppm: meters[3 * c + 1] ?? 0 });
      held[c] = Math.max(held[c] ?? 0, peak);
      if ((meters[3 * c + 2] ?? 0) > 0 && !clipped[c]) {
        clipped = [...clipped];
        clipped[c] = true;
      }
    }
    return {
      at,
      readings,
      loudness,
      held,
      clipped,
      rounds: m.rounds + Number(m.hearing?.loop !== undefined && at < m.at),
      gaps: data.gaps as number,
      delay: data.first ? performance.now() - pressed : m.delay,
    };
  });
}

let pressed = 0;
let pulled: (() => void) | null = null;
let recorded: ((sides: Float32Array[]) => void) | null = null;

function address(h: Hearing, speed: number, keepPitch: boolean): string {
  const q = new URLSearchParams({ from: String(Math.round(h.loop?.from ?? h.from)) });
  if (h.loop) {
    q.set("to", String(Math.round(h.loop.to)));
    q.set("loop", "true");
  }
  if (speed !== 1) {
    q.set("speed", String(speed));
    q.set("keep_pitch", String(keepPitch));
  }
  if (h.match) q.set("match", "true");
  if ("pair" in h.of) {
    if (h.of.ref) q.set("ref", h.of.ref);
    if (h.of.take) q.set("take", h.of.take);
    return `/api/syncs/${h.of.pair}/sound?${q}`;
  }
  if ("reel" in h.of) {
    const { reel, track, bus, solo, mute, doing, identify, uncorrected, gainDb, headphones } = h.of;
    if (uncorrected) q.set("uncorrected", "true");
    if (gainDb) q.set("gain_db", String(gainDb));
    if (headphones) q.set("headphones", "true");
    if (doing) q.set("doing", doing);
    if (identify) q.set("identify", "true");
    if (track) q.set("track", track);
    if (bus) q.set("bus", bus);
    if (solo?.length) q.set("solo", solo.join(","));
    if (mute?.length) q.set("mute", mute.join(","));
    return `/api/reels/${reel}/sound?${q}`;
  }
  q.set("of", h.of.strands.join(","));
  if (h.used) q.set("rate", String(h.sampleRate));
  return `/api/sound?${q}`;
}

const ears = ["left ear", "right ear"];

/** What is asked to be heard of a reel, on headphones where that is chosen, or no longer: then it has a channel an ear. */
function onHeadphones(h: Hearing): Hearing {
  if (!("reel" in h.of) || h.of.identify) return h;
  const wanted = useListening.getState().headphones;
  if (wanted === (h.of.headphones ?? false)) return h;
  return wanted
    ? { ...h, of: { ...h.of, headphones: true }, speakers: h.labels, labels: ears, way: { kind: "fold" } }
    : { ...h, of: { ...h.of, headphones: false }, labels: h.speakers ?? h.labels, way: { kind: "fold" } };
}

/** Seconds of sound that are fetched ahead: fewer of many channels. */
const ahead = (channels: number) => Math.max(2, Math.min(10, 40 / channels));

/**
 * Plays something, until stop, the end, or another hear. What sounds already goes on until the new sound
 * is there; `follow` has it go on where the other is then, without a gap.
 */
export async function hear(asked: Hearing, latched = false, follow = false) {
  const h = onHeadphones(asked);
  pressed = performance.now();
  const before = current;
  const id = nextId++;
  const abort = new AbortController();
  const mine: Session = { id, hearing: h, stop: () => abort.abort() };
  current = mine;
  pulled?.(); // the one before stops waiting
  before?.stop();
  const sameLabels = before?.hearing.labels.join("\n") === h.labels.join("\n");
  useMonitor.setState((m) => ({
    hearing: h,
    at: h.from,
    readings: [],
    held: sameLabels ? m.held : [],
    clipped: sameLabels ? m.clipped : [],
    latched,
    way: wayInWords(h.way, "", h.labels),
    gains: [],
    delay: null,
    gaps: 0,
    rounds: h.loop ? 1 : 0,
    error: null,
    scrubbing: false,
  }));
  try {
    const { speed, keepPitch } = useListening.getState();
    // The sound is asked for while the audio path gets ready.
    const asked = fetch(address(h, speed, keepPitch), { signal: abort.signal });
    asked.catch(() => undefined);
    const p = await player(h.sampleRate);
    if (before?.player && before.player !== p) before.player.node.port.postMessage({ stop: true });
    mine.player = p;
    if (p.context.state !== "running") await p.context.resume();
    if (current !== mine) return;
    const answer = await asked;
    if (!answer.ok || !answer.body) {
      const problem = await answer.json().catch(() => null);
      throw new Error(problem?.detail ?? `The sound could not be read (${answer.status}).`);
    }
    const reader = answer.body.getReader();
    const parser = new Parser();
    let sent = 0;
    const far = () => sent - (said?.id === id ? said.played : 0);
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      const blocks = parser.push(value);
      if (parser.head && !mine.head) {
        mine.head = parser.head;
        p.node.port.postMessage({
          open: id,
          channels: parser.head.channels,
          speed,
          matrix: matrixOf(h.way, parser.head.matrix, parser.head.channels, p.outputs),
          follow: follow && before !== null,
        });
        useMonitor.setState({
          way: wayInWords(h.way, parser.head.says, h.labels),
          gains: parser.head.gains,
          readings: [],
        });
      }
      for (const b of blocks) {
        sent += b.frames;
        p.node.port.postMessage({ id, block: b }, [b.sound.buffer]);
      }
      // Some seconds ahead are plenty: a long recording is not fetched whole.
      while (far() > h.sampleRate * ahead(parser.head?.channels ?? 1) && !abort.signal.aborted) {
        await new Promise<void>((resolve) => {
          pulled = resolve;
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
    if (abort.signal.aborted || current !== mine) return;
    current = null;
    before?.player?.node.port.postMessage({ stop: true });
    useMonitor.setState({ hearing: null, latched: false, error: e instanceof Error ? e.message : String(e) });
  }
}

/** Begins anew where it is, by what has been changed. */
function reopen() {
  const m = useMonitor.getState();
  if (m.hearing) void hear({ ...m.hearing, from: Math.max(0, position()) }, m.latched);
}

/** Goes on with what has become of it, without a gap: a reel that was edited, or of which something else is heard. */
export function goOn(change: Partial<Hearing> = {}) {
  const m = useMonitor.getState();
  if (m.hearing) void hear({ ...m.hearing, ...change, from: Math.max(0, position()) }, m.latched, true);
}

/** Hears a stretch over and over, or no longer. */
export function setLoop(loop: { from: number; to: number } | undefined) {
  const m = useMonitor.getState();
  if (m.hearing) void hear({ ...m.hearing, loop, from: loop ? loop.from : Math.max(0, position()) }, m.latched);
}

/** Changes which channels are heard, and where, without a gap. */
export function setWay(way: Way, says?: string) {
  const c = current;
  const m = useMonitor.getState();
  if (!c || !m.hearing) return;
  const h = { ...m.hearing, way, says: says ?? m.hearing.says };
  c.hearing = h;
  if (c.head && c.player) {
    const matrix = matrixOf(way, c.head.matrix, c.head.channels, c.player.outputs);
    c.player.node.port.postMessage({ id: c.id, matrix });
  }
  useMonitor.setState({ hearing: h, way: wayInWords(way, c.head?.says ?? "", h.labels) });
}

/** Ends listening. */
export function stop() {
  const c = current;
  current = null;
  c?.stop();
  // What sounds may still be the one before: all of them are told.
  for (const p of players.values()) void p.then((p) => p.node.port.postMessage({ stop: true }));
  useMonitor.setState({ hearing: null, readings: [], loudness: null, latched: false, scrubbing: false });
}

/** Puts the lights out that say that full scale was reached. */
export function clearClips() {
  useMonitor.setState({ clipped: [], held: [] });
}

/** Moves along a strand by hand: sound follows the pointer. */
export class Scrubber {
  private have: { from: number; to: number } | null = null;
  private asking = false;
  private ended = false;
  private at = 0;

  constructor(
    private strand: string,
    private sampleRate: number,
    private frames: number,
    private says: string,
    private start: number | null,
  ) {}

  /** Goes to a frame. */
  async to(frame: number) {
    this.at = Math.max(0, Math.min(this.frames - 1, Math.round(frame)));
    const p = await player(this.sampleRate);
    if (this.ended) return;
    if (p.context.state !== "running") await p.context.resume();
    if (!useMonitor.getState().scrubbing) {
      current?.stop();
      current = null;
      useMonitor.setState({
        hearing: {
          of: { strands: [this.strand] },
          labels: [this.says],
          from: this.at,
          sampleRate: this.sampleRate,
          says: this.says,
          start: this.start,
          way: { kind: "alone", channel: 0 },
        },
        way: "moved along by hand, on both sides at 0 dB",
        scrubbing: true,
        latched: false,
        readings: [],
        error: null,
      });
    }
    useMonitor.setState({ at: this.at });
    const near = this.sampleRate / 2;
    const enough =
      this.have &&
      (this.at - near >= this.have.from || this.have.from === 0) &&
      (this.at + near <= this.have.to || this.have.to >= this.frames);
    if (!enough && !this.asking) await this.fetch(p);
    if (!this.ended) p.node.port.postMessage({ scrubTo: this.at });
  }

  private async fetch(p: Player) {
    this.asking = true;
    const from = Math.max(0, this.at - 2 * this.sampleRate);
    const to = Math.min(this.frames, this.at + 2 * this.sampleRate);
    try {
      const answer = await fetch(`/api/strands/${this.strand}/sound?from=${from}&frames=${Math.max(1, to - from)}`);
      if (!answer.ok || this.ended) return;
      const sound = new Float32Array(await answer.arrayBuffer());
      this.have = { from, to };
      if (!this.ended) p.node.port.postMessage({ scrub: { sound, from } }, [sound.buffer]);
    } finally {
      this.asking = false;
    }
  }

  /** Lets go. */
  end() {
    this.ended = true;
    void player(this.sampleRate).then((p) => p.node.port.postMessage({ scrubEnd: true }));
    if (useMonitor.getState().scrubbing)
      useMonitor.setState({ hearing: null, scrubbing: false, readings: [], loudness: null });
  }
}

/**
 * What is really played, sample by sample: for measurements and for support. `start` keeps so many seconds
 * from then on, `taken` gives the left and the right of what has been kept.
 */
export const tape = {
  start: async (sampleRate: number, seconds: number) =>
    (await player(sampleRate)).node.port.postMessage({ record: Math.round(seconds * sampleRate) }),
  taken: async (sampleRate: number): Promise<Float32Array[]> => {
    const p = await player(sampleRate);
    return new Promise((resolve) => {
      recorded = resolve;
      p.node.port.postMessage({ recorded: true });
    });
  },
  position,
};
(globalThis as { listeningTape?: typeof tape }).listeningTape = tape;
