import { expect, type Page } from "@playwright/test";

// What the application has really played, sample by sample, as its worklet kept it.

export const rate = 48000;
/** Full scale of the samples that sound.ts makes. */
export const scale = 2 ** 23;

/** What the worklet has really played since the tape was started: the left side. */
export async function played(page: Page): Promise<Float32Array> {
  const text = await page.evaluate(async (rate) => {
    const tape = (globalThis as unknown as { listeningTape: { taken: (r: number) => Promise<Float32Array[]> } })
      .listeningTape;
    const [left] = await tape.taken(rate);
    const bytes = new Uint8Array((left ?? new Float32Array()).buffer);
    let out = "";
    for (let i = 0; i < bytes.length; i += 0x8000) out += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
    return btoa(out);
  }, rate);
  const b = Buffer.from(text, "base64");
  return new Float32Array(b.buffer.slice(b.byteOffset, b.byteOffset + b.byteLength));
}

export const startTape = (page: Page, length: number) =>
  page.evaluate(
    ([rate, length]) =>
      (
        globalThis as unknown as { listeningTape: { start: (r: number, s: number) => Promise<void> } }
      ).listeningTape.start(rate as number, length as number),
    [rate, length],
  );

export const position = (page: Page) =>
  page.evaluate(() =>
    (globalThis as unknown as { listeningTape: { position: () => number } }).listeningTape.position(),
  );

/** Waits until what is heard has come to a place, in seconds. */
export const until = (page: Page, at: number) =>
  expect.poll(() => position(page), { intervals: [50], timeout: 20_000 }).toBeGreaterThan(at * rate);

/** Where in a channel a stretch that was played comes from; -1 for nowhere. */
export function whence(x: Float32Array, at: number, channel: Int32Array): number {
  for (let i = 0; i + 16 < channel.length; i++) {
    let k = 0;
    while (k < 16 && (x[at + k] ?? 0) * scale === channel[i + k]) k++;
    if (k === 16) return i;
  }
  return -1;
}

/** How many samples from a place on are those of a channel from another. */
export function same(x: Float32Array, at: number, channel: Int32Array, from: number): number {
  let n = 0;
  while (at + n < x.length && (x[at + n] ?? 0) * scale === channel[from + n]) n++;
  return n;
}
