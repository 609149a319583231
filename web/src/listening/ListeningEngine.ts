import { address } from "./address";
import { AudioPath, type Told } from "./audioPath";
import { onHeadphones } from "./headphones";
import { type MonitorMode, matrixOf, modeInWords } from "./matrix";
import { dimDb, type Hearing, type Reading, useListening, useMonitor } from "./monitor";
import { riseAt, scaled } from "./rise";
import { type Head, Parser } from "./stream";

/** One listening, from being asked for until it ends or another takes its place. */
type Session = {
  id: number;
  hearing: Hearing;
  abort: AbortController;
  path?: AudioPath;
  head?: Head;
  /** How loud it is on its way to be as loud as it is. */
  factor: number;
};

/** Seconds of sound that are fetched ahead: fewer of many channels. */
const ahead = (channels: number) => Math.max(2, Math.min(10, 40 / channels));

const silent = { hearing: null, readings: [], loudness: null, latched: false };

/**
 * Plays one thing at a time, as the server streams it, and keeps `useMonitor` in step with what sounds. It lives from
 * being made until `dispose`, follows `useListening` (gain, dim, speed) as long, and holds an audio path for every sample
 * rate that was heard.
 */
export class ListeningEngine {
  private readonly paths = new Map<number, Promise<AudioPath>>();
  private current: Session | null = null;
  private nextId = 1;
  /** The last that the worklet said of what sounds. */
  private said: { id: number; at: number; speed: number; time: number; played: number } | null = null;
  private pressed = 0; // when the listening was asked for
  private wake: (() => void) | null = null; // of who waits until more is wanted
  private taped: ((sides: Float32Array[]) => void) | null = null;
  private readonly unsubscribe: () => void;

  constructor() {
    this.unsubscribe = useListening.subscribe((now, before) => {
      if (now.gainDb !== before.gainDb || now.dim !== before.dim) this.tellAll({ gain: gainNow() });
      if (now.speed !== before.speed || (now.keepPitch !== before.keepPitch && now.speed !== 1)) this.reopen();
    });
  }

  /** Ends listening and lets go of the audio device. */
  async dispose() {
    this.unsubscribe();
    this.stop();
    const paths = await Promise.allSettled(this.paths.values());
    this.paths.clear();
    await Promise.all(paths.map((p) => p.status === "fulfilled" && p.value.close()));
  }

  /** The audio path of a sample rate, made when it is first asked for. */
  path(sampleRate: number): Promise<AudioPath> {
    let p = this.paths.get(sampleRate);
    if (!p) {
      p = AudioPath.open(sampleRate, (path, data) => this.told(path, data)).then((path) => {
        path.post({ gain: gainNow() });
        useListening.setState({ outputs: path.outputs });
        return path;
      });
      p.catch(() => this.paths.delete(sampleRate));
      this.paths.set(sampleRate, p);
    }
    return p;
  }

  private tellAll(message: Record<string, unknown>) {
    for (const p of this.paths.values())
      void p.then(
        (p) => p.post(message),
        () => undefined,
      );
  }

  /** Makes the audio path ready at the first gesture, so that the first listening is as quick as any. */
  prepare(sampleRate: number) {
    void this.path(sampleRate).then((p) => p.context.resume());
  }

  /** The last fifth of a second of both sides as they are heard; null while nothing is. Valid until the next call. */
  sidesHeard() {
    return this.current?.path?.sides() ?? null;
  }

  /** Where what is heard is now, as near as can be told: on its clock, in samples. */
  position(): number {
    const m = useMonitor.getState();
    const { path, id } = this.current ?? {};
    const { said } = this;
    if (!m.hearing || !path || !said || said.id !== id) return m.at;
    const since = path.context.currentTime - said.time - (path.context.outputLatency || 0);
    const at = said.at + since * said.speed * path.context.sampleRate;
    const { loop } = m.hearing;
    return loop ? Math.min(loop.to, Math.max(loop.from, at)) : at;
  }

  private told(path: AudioPath, data: Told) {
    if (data.recorded) {
      this.taped?.(data.recorded);
      return;
    }
    const { current } = this;
    if (!current || data.id !== current.id || current.path !== path) return;
    if (data.ended) {
      this.current = null;
      useMonitor.setState(silent);
      return;
    }
    const { at = 0, speed = 1, time = 0, played = 0, gaps = 0, meters = new Float32Array(0) } = data;
    this.said = { id: current.id, at, speed, time, played };
    this.wake?.();
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
        gaps,
        delay: data.first ? performance.now() - this.pressed : m.delay,
      };
    });
  }

  /**
   * Plays something, until stop, the end, or another hear. What sounds already goes on until the new sound
   * is there; `follow` has it go on where the other is then, without a gap.
   */
  async hear(asked: Hearing, latched = false, follow = false) {
    const h = onHeadphones(asked);
    this.pressed = performance.now();
    const before = this.current;
    const mine: Session = {
      id: this.nextId++,
      hearing: h,
      abort: new AbortController(),
      factor: "reel" in h.of && h.of.identify ? riseAt(0) : 1,
    };
    this.current = mine;
    this.wake?.(); // the one before stops waiting
    before?.abort.abort();
    begin(h, latched, before?.hearing);
    try {
      const { speed, keepPitch } = useListening.getState();
      // The sound is asked for while the audio path gets ready.
      const answer = fetch(address(h, speed, keepPitch), { signal: mine.abort.signal });
      answer.catch(() => undefined);
      const path = await this.path(h.sampleRate);
      if (before?.path && before.path !== path) before.path.post({ stop: true });
      mine.path = path;
      await path.resume();
      if (this.current !== mine) return;
      await this.stream(mine, path, await answer, speed, follow && before !== null);
    } catch (e) {
      if (mine.abort.signal.aborted || this.current !== mine) return;
      this.current = null;
      before?.path?.post({ stop: true });
      useMonitor.setState({ hearing: null, latched: false, error: e instanceof Error ? e.message : String(e) });
    }
  }

  /** Hands a stream on to the worklet as it comes, some seconds ahead of what sounds. */
  private async stream(mine: Session, path: AudioPath, answer: Response, speed: number, follow: boolean) {
    if (!answer.ok || !answer.body) {
      const problem = await answer.json().catch(() => null);
      throw new Error(problem?.detail ?? `The sound could not be read (${answer.status}).`);
    }
    const { id, hearing: h, abort } = mine;
    const reader = answer.body.getReader();
    const parser = new Parser();
    let sent = 0;
    const far = () => sent - (this.said?.id === id ? this.said.played : 0);
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      const blocks = parser.push(value);
      if (parser.head && !mine.head) {
        const { head } = parser;
        mine.head = head;
        const mode = mine.hearing.mode; // it may have been changed meanwhile
        const matrix = scaled(matrixOf(mode, head.matrix, head.channels, path.outputs), mine.factor);
        path.post({ open: id, channels: head.channels, speed, matrix, follow });
        if (mine.factor < 1) void this.rise(mine);
        useMonitor.setState({ mode: modeInWords(mode, head.says, h.labels), gains: head.gains, readings: [] });
      }
      for (const b of blocks) {
        sent += b.frames;
        path.post({ id, block: b }, [b.sound.buffer]);
      }
      // Some seconds ahead are plenty: a long recording is not fetched whole.
      while (far() > h.sampleRate * ahead(parser.head?.channels ?? 1) && !abort.signal.aborted) {
        await new Promise<void>((resolve) => {
          this.wake = resolve;
          abort.signal.addEventListener("abort", () => resolve(), { once: true });
        });
      }
      if (abort.signal.aborted) {
        await reader.cancel();
        return;
      }
    }
    path.post({ id, end: true });
  }

  /** Lets it become as loud as it is. */
  private async rise(mine: Session) {
    const began = performance.now();
    while (mine.factor < 1 && this.current === mine) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      mine.factor = riseAt(performance.now() - began);
      if (this.current === mine) this.setMatrix(mine);
    }
  }

  private setMatrix({ id, head, path, hearing, factor }: Session) {
    if (head && path)
      path.post({ id, matrix: scaled(matrixOf(hearing.mode, head.matrix, head.channels, path.outputs), factor) });
  }

  /** Begins anew where it is, by what has been changed. */
  private reopen() {
    const m = useMonitor.getState();
    if (m.hearing) void this.hear({ ...m.hearing, from: Math.max(0, this.position()) }, m.latched);
  }

  /** Goes on with what has become of it, without a gap: a reel that was edited, or of which something else is heard. */
  goOn(change: Partial<Hearing> = {}) {
    const m = useMonitor.getState();
    if (m.hearing) void this.hear({ ...m.hearing, ...change, from: Math.max(0, this.position()) }, m.latched, true);
  }

  /** Hears a stretch over and over, or no longer. */
  setLoop(loop: { from: number; to: number } | undefined) {
    const m = useMonitor.getState();
    const from = loop ? loop.from : Math.max(0, this.position());
    if (m.hearing) void this.hear({ ...m.hearing, loop, from }, m.latched);
  }

  /** Changes which channels are heard, and where, without a gap. */
  setMode(mode: MonitorMode, says?: string) {
    const c = this.current;
    const m = useMonitor.getState();
    if (!c || !m.hearing) return;
    const h = { ...m.hearing, mode, says: says ?? m.hearing.says };
    c.hearing = h;
    this.setMatrix(c);
    useMonitor.setState({ hearing: h, mode: modeInWords(mode, c.head?.says ?? "", h.labels) });
  }

  /** Ends listening. */
  stop() {
    this.letGo();
    // What sounds may still be the one before: all of them are told.
    this.tellAll({ stop: true });
    useMonitor.setState({ ...silent, scrubbing: false });
  }

  /** Ends what is streamed: what is already on its way to the device sounds until something else does. */
  letGo() {
    const c = this.current;
    this.current = null;
    c?.abort.abort();
  }

  /** Keeps so many seconds of what is really played from now on. */
  async record(sampleRate: number, seconds: number) {
    (await this.path(sampleRate)).post({ record: Math.round(seconds * sampleRate) });
  }

  /** What has been kept of the left and the right, sample by sample. */
  async recorded(sampleRate: number): Promise<Float32Array[]> {
    const path = await this.path(sampleRate);
    return new Promise((resolve) => {
      this.taped = resolve;
      path.post({ recorded: true });
    });
  }
}

function gainNow() {
  const s = useListening.getState();
  return 10 ** ((s.gainDb + (s.dim ? dimDb : 0)) / 20);
}

/** What the monitor shows from when something is asked for. Meters of the same channels keep what they hold. */
function begin(h: Hearing, latched: boolean, before: Hearing | undefined) {
  const same = before?.labels.join("\n") === h.labels.join("\n");
  useMonitor.setState((m) => ({
    hearing: h,
    at: h.from,
    readings: [],
    held: same ? m.held : [],
    clipped: same ? m.clipped : [],
    latched,
    mode: modeInWords(h.mode, "", h.labels),
    gains: [],
    delay: null,
    gaps: 0,
    rounds: h.loop ? 1 : 0,
    error: null,
    scrubbing: false,
  }));
}
