import type { AudioPath } from "./audioPath";
import { engine } from "./engine";
import { useMonitor } from "./monitor";

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
    const p = await engine.path(this.sampleRate);
    if (this.ended) return;
    await p.resume();
    if (!useMonitor.getState().scrubbing) {
      engine.letGo();
      useMonitor.setState({
        hearing: {
          of: { strands: [this.strand] },
          labels: [this.says],
          from: this.at,
          sampleRate: this.sampleRate,
          says: this.says,
          start: this.start,
          mode: { kind: "alone", channel: 0 },
        },
        mode: "moved along by hand, on both sides at 0 dB",
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
    if (!this.ended) p.post({ scrubTo: this.at });
  }

  private async fetch(p: AudioPath) {
    this.asking = true;
    const from = Math.max(0, this.at - 2 * this.sampleRate);
    const to = Math.min(this.frames, this.at + 2 * this.sampleRate);
    try {
      const answer = await fetch(`/api/strands/${this.strand}/sound?from=${from}&frames=${Math.max(1, to - from)}`);
      if (!answer.ok || this.ended) return;
      const sound = new Float32Array(await answer.arrayBuffer());
      this.have = { from, to };
      if (!this.ended) p.post({ scrub: { sound, from } }, [sound.buffer]);
    } finally {
      this.asking = false;
    }
  }

  /** Lets go. */
  end() {
    this.ended = true;
    void engine.path(this.sampleRate).then((p) => p.post({ scrubEnd: true }));
    if (useMonitor.getState().scrubbing)
      useMonitor.setState({ hearing: null, scrubbing: false, readings: [], loudness: null });
  }
}
