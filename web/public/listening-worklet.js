// Plays streams of any number of channels through a matrix, and says what it plays. A stream follows on
// another without a gap; a change of matrix or gain never clicks.
//
// Messages in:
//   {open: id, channels, speed, matrix, follow}  a stream to come, heard once its first block is there;
//                                      follow takes over where the one that sounds is, sample by sample
//   {id, block: {at, frames, meters, loudness, sound}}  more of it; sound has a channel after the other
//   {id, end: true}                    no more comes
//   {id, matrix}                       a factor for every channel, output after output
//   {gain}                             of all that is heard
//   {stop: true}                       fade out and be silent
//   {scrub: {sides, from}}             sound around a place, of both sides or one for both, to be moved along
//   {scrubTo: frame} {scrubEnd: true}  where to move to, at no more than four times its speed
//   {record: frames}                   keep so many frames of what is played from now on
//   {recorded: true}                   give them back
// Messages out:
//   {id, at, speed, time, played, gaps, meters, loudness, first}  the frame that sounds at a time, frames played,
//                                      quanta without sound, readings a channel, and whether it is the first
//   {id, ended: true}                  all was played
//   {recorded: [Float32Array]}         an output each
const fade = 192; // frames: 4 ms at 48 kHz
const report = 1024; // frames between messages
const enough = 8192; // frames that must be there before a stream begins: what follows has 170 ms then to come in time

class Stream {
  constructor({ open, channels, speed, matrix, follow }, outputs) {
    this.id = open;
    this.channels = channels;
    this.speed = speed;
    this.follow = follow;
    this.outputs = outputs;
    this.matrix = new Float32Array(outputs * channels); // as it sounds now
    this.wanted = matrix;
    this.matrix.set(matrix);
    this.blocks = [];
    this.at = 0; // frame of blocks[0]
    this.played = 0;
    this.said = 0;
    this.gain = 0;
    this.target = 1;
    this.last = false;
    this.gaps = 0;
    this.meters = new Float32Array(3 * channels); // since the last message
    this.loudness = new Float32Array(0); // the last that came
  }

  /** The frame of the recording that comes next. */
  position() {
    const b = this.blocks[0];
    return b ? b.at + this.at * this.speed : this.lastAt;
  }

  /** Frames that wait to be played. */
  buffered() {
    return this.blocks.reduce((sum, b) => sum + b.frames, 0) - this.at;
  }

  /** Leaves out what another stream has played already. False when it has not come that far. */
  skipTo(position) {
    while (this.blocks.length > 0) {
      const b = this.blocks[0];
      const n = Math.round((position - b.at) / this.speed);
      if (n < b.frames) {
        this.at = Math.max(this.at, n);
        return n >= 0;
      }
      this.blocks.shift();
      this.at = 0;
    }
    return false;
  }

  /** Adds a quantum to outputs. */
  mix(out, master) {
    const size = out[0].length;
    const done = [];
    for (let n = 0; n < size && this.blocks.length > 0; ) {
      const b = this.blocks[0];
      const k = Math.min(size - n, b.frames - this.at);
      if (this.at === 0) {
        this.loudness = b.loudness;
        for (let i = 0; i < b.meters.length; i++) {
          this.meters[i] = i % 3 === 2 ? this.meters[i] + b.meters[i] : Math.max(this.meters[i], b.meters[i]);
        }
      }
      done.push([b.sound, this.at, b.frames, n, k]);
      n += k;
      this.at += k;
      this.played += k;
      this.lastAt = b.at + this.at * this.speed;
      if (this.at === b.frames) {
        this.blocks.shift();
        this.at = 0;
      }
    }
    // The envelope of this quantum, with the gain of all.
    const envelope = new Float32Array(size);
    for (let i = 0; i < size; i++) {
      const step = 1 / fade;
      this.gain = this.target > this.gain ? Math.min(1, this.gain + step) : Math.max(this.target, this.gain - step);
      envelope[i] = this.gain * master[i];
    }
    for (let o = 0; o < this.outputs; o++) {
      for (let c = 0; c < this.channels; c++) {
        const at = o * this.channels + c;
        const was = this.matrix[at];
        const now = this.wanted[at] ?? 0;
        if (was === 0 && now === 0) continue;
        this.matrix[at] = now;
        for (const [sound, from, frames, n, k] of done) {
          const x = sound.subarray(c * frames + from, c * frames + from + k);
          for (let i = 0; i < k; i++) {
            const g = was === now ? now : was + ((now - was) * (n + i + 1)) / size;
            out[o][n + i] += x[i] * g * envelope[n + i];
          }
        }
      }
    }
    const filled = done.reduce((sum, d) => sum + d[4], 0);
    if (filled < size && !this.last && this.target > 0) this.gaps++;
    return filled;
  }
}

/** Sound that is moved along by hand, like tape. */
class Scrub {
  constructor() {
    this.sides = [new Float32Array(0)];
    this.from = 0;
    this.head = null;
    this.to = null;
    this.gain = 0;
  }

  mix(out, master, rate) {
    for (let i = 0; i < out[0].length; i++) {
      const way = this.to - this.head;
      const speed = Math.max(-4, Math.min(4, way / (0.05 * rate)));
      const moving = Math.abs(speed) > 0.04;
      this.gain += (Number(moving) - this.gain) / fade;
      if (moving) this.head += speed;
      const at = this.head - this.from;
      const k = Math.floor(at);
      for (let o = 0; o < out.length && o < 2; o++) {
        const sound = this.sides[o] ?? this.sides[0];
        const a = sound[k] ?? 0;
        const b = sound[k + 1] ?? 0;
        out[o][i] += (a + (at - k) * (b - a)) * this.gain * master[i];
      }
    }
  }
}

class Listening extends AudioWorkletProcessor {
  constructor() {
    super();
    this.now = null; // what sounds
    this.next = null; // what follows once it has sound
    this.leaving = []; // what fades out
    this.scrub = null;
    this.gain = 1;
    this.gainNow = 1;
    this.tape = null;
    this.port.onmessage = ({ data }) => this.hear(data);
  }

  stream(id) {
    return this.next?.id === id ? this.next : this.now?.id === id ? this.now : null;
  }

  hear(data) {
    const s = data.id === undefined ? null : this.stream(data.id);
    if (data.open !== undefined) {
      this.scrub = null;
      this.next = new Stream(data, this.outputs ?? 2);
    } else if (data.stop) {
      this.leave(this.now);
      this.now = null;
      this.next = null;
    } else if (data.gain !== undefined) this.gain = data.gain;
    else if (data.scrub) {
      this.leave(this.now);
      this.now = null;
      this.next = null;
      this.scrub ??= new Scrub();
      this.scrub.sides = data.scrub.sides;
      this.scrub.from = data.scrub.from;
      this.scrub.head ??= data.scrub.at;
      this.scrub.to ??= data.scrub.at;
    } else if (data.scrubTo !== undefined && this.scrub) {
      this.scrub.to = data.scrubTo;
    } else if (data.scrubEnd) this.scrub = null;
    else if (data.record) this.tape = { at: 0, sides: [0, 1].map(() => new Float32Array(data.record)) };
    else if (data.recorded) {
      this.port.postMessage({ recorded: this.tape?.sides.map((x) => x.slice(0, this.tape.at)) ?? [] });
      this.tape = null;
    } else if (s && data.block) s.blocks.push(data.block);
    else if (s && data.end) s.last = true;
    else if (s && data.matrix) s.wanted = data.matrix;
  }

  leave(s) {
    if (!s) return;
    s.target = 0;
    this.leaving.push(s);
  }

  /** The stream to come takes over as soon as it can. */
  takeOver() {
    const n = this.next;
    if (!n || n.blocks.length === 0 || (!n.last && n.buffered() < enough)) return;
    if (n.follow && this.now && this.now.blocks.length > 0 && !n.last) {
      // Enough must be left behind the place where the other is: else there would soon be nothing to play. The other
      // goes on meanwhile, as long as it has something.
      const over = (this.now.position() - n.position()) / n.speed;
      if (n.buffered() - over < enough && this.now.buffered() > 256) return;
    }
    if (n.follow && this.now && this.now.blocks.length > 0 && !n.skipTo(this.now.position())) {
      // Not yet where the other is: that one goes on meanwhile, unless this one can never get there.
      const ahead = n.blocks.length > 0 && n.position() > this.now.position() + n.speed * sampleRate;
      if (!ahead) return;
    }
    if (n.blocks.length === 0) return;
    this.leave(this.now);
    this.now = n;
    this.next = null;
    n.first = true;
  }

  process(_, outputs) {
    const out = outputs[0];
    const size = out[0].length;
    this.outputs = out.length;
    this.takeOver();
    const master = new Float32Array(size);
    for (let i = 0; i < size; i++) {
      const step = 1 / fade;
      this.gainNow += Math.max(-step, Math.min(step, this.gain - this.gainNow));
      master[i] = this.gainNow;
    }
    for (const s of this.leaving) s.mix(out, master);
    this.leaving = this.leaving.filter((s) => s.gain > 0 && s.blocks.length > 0);
    const s = this.now;
    if (s) {
      const time = currentTime;
      const at = s.position();
      const filled = s.mix(out, master);
      if (s.first || s.played - s.said >= report || (filled === 0 && s.last)) {
        this.port.postMessage({
          id: s.id,
          at,
          speed: s.speed,
          time,
          played: s.played,
          gaps: s.gaps,
          meters: s.meters.slice(),
          loudness: s.loudness.slice(),
          first: s.first,
        });
        s.first = false;
        s.said = s.played;
        s.meters.fill(0);
      }
      if (s.last && s.blocks.length === 0) {
        this.port.postMessage({ id: s.id, ended: true });
        this.now = null;
      }
    }
    if (this.scrub && this.scrub.head !== null) this.scrub.mix(out, master, sampleRate);
    if (this.tape && this.tape.at < this.tape.sides[0].length) {
      for (const [o, side] of this.tape.sides.entries()) {
        side.set(out[o].subarray(0, Math.min(size, side.length - this.tape.at)), this.tape.at);
      }
      this.tape.at = Math.min(this.tape.sides[0].length, this.tape.at + size);
    }
    return true;
  }
}

registerProcessor("listening", Listening);
