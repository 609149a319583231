import { address } from "./address";
import type { AudioPath } from "./audioPath";
import { engine } from "./engine";
import { onHeadphones } from "./headphones";
import { matrixOf } from "./matrix";
import { type Hearing, useMonitor } from "./monitor";
import { type Block, type Head, Parser } from "./stream";

/** What one moves along by hand: a stretch of a clock, in samples, and its sound as it is heard on the left and the right. */
export type Scrubbed = {
  hearing: Hearing;
  from: number;
  to: number;
  /** Says how it is heard. */
  mode: string;
  load: (from: number, to: number) => Promise<Float32Array<ArrayBuffer>[] | null>;
};

/** A strand as it was recorded, on both sides. */
export function scrubStrand(
  strand: string,
  rate: number,
  frames: number,
  says: string,
  start: number | null,
): Scrubbed {
  return {
    hearing: {
      of: { strands: [strand] },
      labels: [says],
      from: 0,
      sampleRate: rate,
      says,
      start,
      mode: { kind: "alone", channel: 0 },
    },
    from: 0,
    to: frames,
    mode: "moved along by hand, on both sides at 0 dB",
    load: async (from, to) => {
      const answer = await fetch(`/api/strands/${strand}/sound?from=${from}&frames=${Math.max(1, to - from)}`);
      return answer.ok ? [new Float32Array(await answer.arrayBuffer())] : null;
    },
  };
}

/** Whatever can be heard, folded down as it is heard. */
export function scrubHearing(asked: Hearing, from: number, to: number): Scrubbed {
  const h = onHeadphones(asked);
  return {
    hearing: h,
    from,
    to,
    mode: "moved along by hand",
    load: async (from, to) => {
      const answer = await fetch(address({ ...h, from, loop: undefined }, 1, true, to));
      if (!answer.ok) return null;
      const parser = new Parser();
      const blocks = parser.push(new Uint8Array(await answer.arrayBuffer()));
      return parser.head && folded(h, parser.head, blocks, to - from);
    },
  };
}

/** The left and the right of blocks, which lie one behind the other. */
function folded(h: Hearing, head: Head, blocks: Block[], frames: number): Float32Array<ArrayBuffer>[] {
  const matrix = matrixOf(h.mode, head.matrix, head.channels, 2);
  const sides = [new Float32Array(frames), new Float32Array(frames)];
  let begin = 0;
  for (const b of blocks) {
    for (const [s, side] of sides.entries())
      for (let c = 0; c < head.channels; c++) {
        const level = matrix[s * head.channels + c] ?? 0;
        if (level === 0) continue;
        for (let i = 0; i < b.frames && begin + i < frames; i++)
          side[begin + i] = (side[begin + i] ?? 0) + level * (b.sound[c * b.frames + i] ?? 0);
      }
    begin += b.frames;
  }
  return sides;
}

const around = 1.5; // seconds of sound that are fetched either side
const near = 0.5; // seconds from the end of what is here at which more is fetched

/** Moves along something by hand: sound follows the pointer. `end` lets go. */
export class Scrubber {
  private have: { from: number; to: number } | null = null;
  private asked: Promise<void> | null = null;
  private ended = false;
  private began: number | null = null;
  private at = 0;

  constructor(private readonly what: Scrubbed) {}

  /** Goes to a place on the clock, and is there once its sound is. */
  async to(place: number) {
    const { hearing, from, to, mode } = this.what;
    const rate = hearing.sampleRate;
    this.at = Math.max(from, Math.min(to - 1, Math.round(place)));
    this.began ??= this.at;
    const path = await engine.path(rate);
    if (this.ended) return;
    await path.resume();
    if (!useMonitor.getState().scrubbing) {
      engine.letGo();
      useMonitor.setState({
        hearing: { ...hearing, from: this.at },
        mode,
        scrubbing: true,
        latched: false,
        readings: [],
        error: null,
      });
    }
    useMonitor.setState({ at: this.at });
    const { have } = this;
    const enough =
      have &&
      (this.at - near * rate >= have.from || have.from <= from) &&
      (this.at + near * rate <= have.to || have.to >= to);
    if (!enough)
      this.asked ??= this.fetch(path).finally(() => {
        this.asked = null;
      });
    if (this.have) path.post({ scrubTo: this.at });
    if (!this.asked) return;
    await this.asked;
    if (!this.ended) path.post({ scrubTo: this.at });
  }

  private async fetch(path: AudioPath) {
    const reach = around * this.what.hearing.sampleRate;
    const from = Math.max(this.what.from, this.at - reach);
    const to = Math.min(this.what.to, this.at + reach);
    const sides = await this.what.load(from, to).catch(() => null);
    if (!sides || this.ended) return;
    this.have = { from, to };
    // Where the sound comes after the hand has moved on, what was passed meanwhile is heard still.
    const began = this.began ?? this.at;
    const at = began >= from && began < to ? began : this.at;
    path.post(
      { scrub: { sides, from, at } },
      sides.map((s) => s.buffer),
    );
  }

  /** Lets go. */
  end() {
    this.ended = true;
    void engine.path(this.what.hearing.sampleRate).then((p) => p.post({ scrubEnd: true }));
    if (useMonitor.getState().scrubbing)
      useMonitor.setState({ hearing: null, scrubbing: false, readings: [], loudness: null });
  }
}
