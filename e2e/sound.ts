/** Deterministic samples of a channel: small enough that a few of them can be summed. */
export function samples(channel: number, frames: number): Int32Array {
  const out = new Int32Array(frames);
  let x = 12345 + channel * 777;
  for (let i = 0; i < frames; i++) {
    x = (Math.imul(x, 1103515245) + 12345) & 0x7fffffff;
    out[i] = Math.round(((x >> 8) / 0x7fffff - 0.5) * 0.3 * 0x7fffff);
  }
  return out;
}

/** A plain 24-bit WAV of channels, starting at a time reference; tracks are named in its description, as recorders do. */
export function wav(channels: Int32Array[], rate: number, start: number, names: string[] = []): Buffer {
  const frames = channels[0]?.length ?? 0;
  const align = channels.length * 3;
  const head = Buffer.alloc(12 + 8 + 602 + 8 + 16 + 8);
  const size = frames * align;
  head.write("RIFF", 0);
  head.writeUInt32LE(head.length - 8 + size, 4);
  head.write("WAVEbext", 8);
  head.writeUInt32LE(602, 16);
  head.write(names.map((n, i) => `sTRK${i + 1}=${n}\r\n`).join(""), 20, 256, "latin1");
  head.writeUInt32LE(start % 2 ** 32, 20 + 338);
  head.writeUInt32LE(Math.floor(start / 2 ** 32), 20 + 342);
  let p = 20 + 602;
  head.write("fmt ", p);
  head.writeUInt32LE(16, p + 4);
  head.writeUInt16LE(1, p + 8);
  head.writeUInt16LE(channels.length, p + 10);
  head.writeUInt32LE(rate, p + 12);
  head.writeUInt32LE(rate * align, p + 16);
  head.writeUInt16LE(align, p + 20);
  head.writeUInt16LE(24, p + 22);
  p += 24;
  head.write("data", p);
  head.writeUInt32LE(size, p + 4);
  const data = Buffer.alloc(size);
  for (let i = 0; i < frames; i++)
    for (const [k, c] of channels.entries()) data.writeIntLE(c[i] ?? 0, i * align + k * 3, 3);
  return Buffer.concat([head, data]);
}

/** The channels of a 24-bit WAV, found by walking its chunks. */
export function readWav(b: Buffer): { channels: Int32Array[]; rate: number; start: number } {
  let at = 12;
  let width = 0;
  let rate = 0;
  let start = -1;
  while (at + 8 <= b.length) {
    const id = b.toString("latin1", at, at + 4);
    const size = b.readUInt32LE(at + 4);
    const body = at + 8;
    if (id === "fmt ") {
      width = b.readUInt16LE(body + 2);
      rate = b.readUInt32LE(body + 4);
    } else if (id === "bext") {
      start = b.readUInt32LE(body + 338) + b.readUInt32LE(body + 342) * 2 ** 32;
    } else if (id === "data") {
      const frames = size / (width * 3);
      const channels = Array.from({ length: width }, () => new Int32Array(frames));
      for (let i = 0; i < frames; i++) {
        for (let c = 0; c < width; c++) (channels[c] as Int32Array)[i] = b.readIntLE(body + (i * width + c) * 3, 3);
      }
      return { channels, rate, start };
    }
    at = body + size + (size % 2);
  }
  throw new Error("there is no data chunk");
}
