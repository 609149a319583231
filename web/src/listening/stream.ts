import type { Schemas } from "../api/client";

/** A stretch of what is heard, as the server sends it; see Heard in the contract. */
export type Block = {
  /** Position of its first frame on the common clock. */
  at: number;
  frames: number;
  /** For every channel: greatest magnitude, programme meter, samples at full scale. */
  meters: Float32Array;
  /** Momentary, short-term and integrated loudness (LUFS) and true peak (dBTP) so far, folded down; nothing at another speed. */
  loudness: Float32Array;
  /** Samples, a channel after the other. */
  sound: Float32Array;
};

/** What a stream says of itself before its first block. */
export type Head = Schemas["Heard"];

/**
 * Takes a stream apart as it arrives, in pieces of any size. `push` returns what has become whole; the
 * head is there from the first block on at the latest.
 */
export class Parser {
  head: Head | null = null;
  private rest = new Uint8Array(0);

  push(more: Uint8Array): Block[] {
    const all = new Uint8Array(this.rest.length + more.length);
    all.set(this.rest);
    all.set(more, this.rest.length);
    const view = new DataView(all.buffer);
    let at = 0;
    const blocks: Block[] = [];
    if (!this.head) {
      if (all.length < 4) return this.keep(all, 0, blocks);
      const size = view.getUint32(0, true);
      if (all.length < 4 + size) return this.keep(all, 0, blocks);
      this.head = JSON.parse(new TextDecoder().decode(all.subarray(4, 4 + size))) as Head;
      at = 4 + size;
    }
    const { channels } = this.head;
    while (all.length - at >= 16) {
      const frames = view.getUint32(at, true);
      const readings = view.getUint32(at + 4, true);
      const size = 16 + 4 * (channels * (3 + frames) + readings);
      if (all.length - at < size) break;
      // Copied, so that each can be handed over by itself and stands at a multiple of four bytes.
      const body = all.slice(at + 16, at + size).buffer;
      blocks.push({
        at: view.getFloat64(at + 8, true),
        frames,
        meters: new Float32Array(body, 0, 3 * channels),
        loudness: new Float32Array(body, 12 * channels, readings),
        sound: new Float32Array(body, 12 * channels + 4 * readings),
      });
      at += size;
    }
    return this.keep(all, at, blocks);
  }

  private keep(all: Uint8Array, from: number, blocks: Block[]): Block[] {
    this.rest = all.slice(from);
    return blocks;
  }
}
