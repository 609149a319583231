// Plays mono samples that are posted to it, on both sides at 0 dB, and says what it plays.
// Messages in:  {start: id, late: seconds}   forget everything and begin anew
//               {id, samples: Float32Array}  more sound for that id; others are ignored
//               {id, end: true}              no more comes
//               {stop: true}                 fade out and be silent
// Messages out: {id, played, level, first}   frames played, peak since the last message, and, once,
//                                            the context's time at which the first sample sounded
//               {id, ended: true}            all was played
const fadeFrames = 192; // 4 ms at 48 kHz: no click at either end

class Listening extends AudioWorkletProcessor {
  constructor() {
    super();
    this.reset(0);
    this.port.onmessage = ({ data }) => {
      if (data.start !== undefined) this.reset(data.start);
      else if (data.stop) this.target = 0;
      else if (data.id === this.id && data.samples) this.blocks.push(data.samples);
      else if (data.id === this.id && data.end) this.last = true;
    };
  }

  reset(id) {
    this.id = id;
    this.blocks = [];
    this.at = 0; // in blocks[0]
    this.played = 0;
    this.gain = 0;
    this.target = 1;
    this.last = false;
    this.level = 0;
    this.said = 0;
    this.gaps = 0;
  }

  process(_, outputs) {
    const out = outputs[0][0];
    let n = 0;
    const starved = this.played > 0 && !this.last && this.blocks.length === 0 && this.target > 0;
    if (starved) this.gaps++;
    const first = this.played === 0 && this.blocks.length > 0;
    while (n < out.length && this.blocks.length > 0 && !(this.target === 0 && this.gain === 0)) {
      const block = this.blocks[0];
      const v = block[this.at++];
      if (this.at === block.length) {
        this.blocks.shift();
        this.at = 0;
      }
      const step = 1 / fadeFrames;
      this.gain = this.target > this.gain ? Math.min(1, this.gain + step) : Math.max(this.target, this.gain - step);
      out[n++] = v * this.gain;
      this.played++;
      const a = Math.abs(v);
      if (a > this.level) this.level = a;
    }
    for (let c = 1; c < outputs[0].length; c++) outputs[0][c].set(out);
    if (this.id !== 0 && (first || this.played - this.said >= 1024)) {
      this.port.postMessage({
        id: this.id,
        played: this.played,
        level: this.level,
        gaps: this.gaps,
        first: first ? currentTime : undefined,
      });
      this.said = this.played;
      this.level = 0;
    }
    if (
      this.id !== 0 &&
      ((this.last && this.blocks.length === 0) || (this.target === 0 && this.gain === 0 && this.played > 0))
    ) {
      this.port.postMessage({ id: this.id, played: this.played, level: 0, gaps: this.gaps, ended: true });
      this.id = 0;
    }
    return true;
  }
}

registerProcessor("listening", Listening);
