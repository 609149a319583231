import { afterEach, describe, expect, it, vi } from "vitest";
import { address } from "./address";
import { matrixOf, modeInWords } from "./matrix";
import type { Hearing } from "./monitor";
import { scrubHearing, scrubStrand } from "./Scrubber";
import { Parser } from "./stream";

function stream(
  channels: number,
  blocks: { at: number; sound: number[][]; loudness?: number[] }[],
  matrix: number[][] = [],
) {
  const head = new TextEncoder().encode(
    JSON.stringify({ rate: 48000, channels, frames: 3, matrix, says: "x", gains: [] }),
  );
  const parts: Uint8Array[] = [new Uint8Array(new Uint32Array([head.length]).buffer), head];
  for (const b of blocks) {
    const frames = b.sound[0]?.length ?? 0;
    const loudness = b.loudness ?? [];
    parts.push(
      new Uint8Array(new Uint32Array([frames, loudness.length]).buffer),
      new Uint8Array(new Float64Array([b.at]).buffer),
    );
    parts.push(new Uint8Array(new Float32Array(b.sound.flatMap((_, c) => [0.5, 0.25, c])).buffer));
    parts.push(new Uint8Array(new Float32Array(loudness).buffer));
    parts.push(new Uint8Array(new Float32Array(b.sound.flat()).buffer));
  }
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

describe("a stream of sound", () => {
  const all = stream(2, [
    {
      at: 100,
      sound: [
        [0.1, 0.2, 0.3],
        [-0.1, -0.2, -0.3],
      ],
    },
    { at: 1e10 + 1, sound: [[0.4], [0.5]], loudness: [-23, -24.5, Number.NEGATIVE_INFINITY, -1] },
  ]);
  it("is the same however it is cut up", () => {
    for (const size of [1, 3, 7, 50, 1000]) {
      const p = new Parser();
      const blocks = [];
      for (let at = 0; at < all.length; at += size) blocks.push(...p.push(all.subarray(at, at + size)));
      expect(p.head?.channels).toBe(2);
      expect(blocks.map((b) => [b.at, b.frames])).toEqual([
        [100, 3],
        [1e10 + 1, 1],
      ]);
      expect([...(blocks[0]?.sound ?? [])].map((v) => Math.round(v * 10))).toEqual([1, 2, 3, -1, -2, -3]);
      expect([...(blocks[0]?.loudness ?? [])]).toEqual([]);
      expect([...(blocks[1]?.loudness ?? [])]).toEqual([-23, -24.5, Number.NEGATIVE_INFINITY, -1]);
      expect([...(blocks[1]?.sound ?? [])].map((v) => Math.round(v * 10))).toEqual([4, 5]);
      expect([...(blocks[1]?.meters ?? [])]).toEqual([0.5, 0.25, 0, 0.5, 0.25, 1]);
    }
  });
  it("gives nothing of a block that is not whole", () => {
    expect(new Parser().push(all.subarray(0, all.length - 1))).toHaveLength(1);
  });
});

describe("what is heard of a stream", () => {
  const fold = [
    [1, 0],
    [0, 1],
    [0.5, 0.5],
  ];
  it("is folded down as the server says", () => {
    expect([...matrixOf({ kind: "fold" }, fold, 3, 2)]).toEqual([1, 0, 0.5, 0, 1, 0.5]);
  });
  it("is one channel, a pair, or each on its own output", () => {
    expect([...matrixOf({ kind: "alone", channel: 1 }, fold, 3, 2)]).toEqual([0, 1, 0, 0, 1, 0]);
    expect([...matrixOf({ kind: "pair", pair: 1 }, fold, 3, 2)]).toEqual([0, 0, 1, 0, 0, 1]);
    expect([...matrixOf({ kind: "direct" }, fold, 3, 4)]).toEqual([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0]);
  });
  it("is said in words", () => {
    expect(modeInWords({ kind: "pair", pair: 0 }, "", ["Boom", ""])).toBe("Boom left, 2 right, at 0 dB");
    expect(modeInWords({ kind: "pair", pair: 1 }, "", ["a", "b", "c"])).toBe("c on both sides at 0 dB");
    expect(modeInWords({ kind: "alone", channel: 0 }, "", ["Boom"])).toBe("mono, on both sides at 0 dB");
    expect(modeInWords({ kind: "fold" }, "5.1 folded down", ["a", "b", "c"])).toBe("5.1 folded down");
  });
});

const routed: Hearing = {
  of: { reel: "r", solo: ["a", "b"], mute: [], headphones: false },
  labels: ["L", "R", "C"],
  from: 5,
  sampleRate: 48000,
  says: "the reel",
  start: 0,
  mode: { kind: "fold" },
};

describe("where sound comes from", () => {
  it("is a reel with what is heard of it, strands, or a pair", () => {
    expect(address(routed, 1, true)).toBe("/api/reels/r/sound?from=5&solo=a%2Cb");
    expect(address({ ...routed, loop: { from: 10, to: 20 } }, 0.5, false)).toBe(
      "/api/reels/r/sound?from=10&to=20&loop=true&speed=0.5&keep_pitch=false&solo=a%2Cb",
    );
    expect(address({ ...routed, of: { strands: ["x", "y"] }, used: true }, 1, true, 9.6)).toBe(
      "/api/sound?from=5&to=10&of=x%2Cy&rate=48000",
    );
    expect(address({ ...routed, of: { pair: "p", ref: "q" }, match: true }, 1, true)).toBe(
      "/api/syncs/p/sound?from=5&match=true&ref=q",
    );
  });
});

describe("what is moved along by hand", () => {
  afterEach(() => vi.unstubAllGlobals());
  const answers = (body: Uint8Array<ArrayBuffer>, ok = true) => {
    const asked = vi.fn(async (_: string) => new Response(body, { status: ok ? 200 : 500 }));
    vi.stubGlobal("fetch", asked);
    return asked;
  };
  const all = stream(
    3,
    [
      {
        at: 100,
        sound: [
          [1, 2],
          [10, 20],
          [4, 8],
        ],
      },
      { at: 102, sound: [[3], [30], [12]] },
    ],
    [
      [1, 0],
      [0, 1],
      [0.5, 0.5],
    ],
  );
  it("is folded down block by block, as it is heard, and silent beyond the end", async () => {
    const asked = answers(all);
    const sides = await scrubHearing(routed, 0, 1000).load(100, 104);
    expect(asked.mock.calls[0]?.[0]).toBe("/api/reels/r/sound?from=100&to=104&solo=a%2Cb");
    expect(sides?.map((s) => [...s])).toEqual([
      [3, 6, 9, 0],
      [12, 24, 36, 0],
    ]);
  });
  it("is one channel on both sides where that is alone", async () => {
    answers(all);
    const sides = await scrubHearing({ ...routed, mode: { kind: "alone", channel: 1 } }, 0, 1000).load(100, 103);
    expect(sides?.map((s) => [...s])).toEqual([
      [10, 20, 30],
      [10, 20, 30],
    ]);
  });
  it("is a strand as it was recorded, and nothing where that can't be read", async () => {
    const asked = answers(new Uint8Array(new Float32Array([0.5, -0.5]).buffer));
    expect((await scrubStrand("s", 48000, 100, "Boom", null).load(7, 9))?.map((s) => [...s])).toEqual([[0.5, -0.5]]);
    expect(asked.mock.calls[0]?.[0]).toBe("/api/strands/s/sound?from=7&frames=2");
    answers(new Uint8Array(), false);
    expect(await scrubHearing(routed, 0, 9).load(0, 1)).toBeNull();
  });
});
