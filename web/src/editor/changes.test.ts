import { expect, test } from "vitest";
import type { Clip, Reel } from "../api/client";
import { patched } from "./changes";

const clip = (id: string, at: number): Clip => ({ id, at, in: 0, length: 10, name: id, strands: [id] });
const track = (id: string, ...clips: Clip[]) => ({ id, label: id, layout: "mono", off: false, clips });
const worked = {
  start: 0,
  end: 99,
  start_timecode: "",
  rate: { num: 25, den: 1, drop: false },
  rate_name: "25",
  layouts: {},
  detached: {},
  directions: {},
  ways: {},
  pairs: {},
};
const reel: Reel = {
  id: "r",
  name: "Reel 1",
  version: 3,
  sample_rate: 48000,
  doc: {
    format: 2,
    start: null,
    tracks: [track("a", clip("1", 0), clip("2", 20)), track("b", clip("3", 0)), track("c")],
    weave: { buses: [], outputs: [], groups: [], sends: { a: [{ to: "DX", gain_db: 0, patch: {} }] } },
  },
  worked_out: { ...worked, product: [[[1]]], sent: {} },
};

test("what has changed is changed, and nothing else", () => {
  const now = patched(reel, {
    name: "Reel 1",
    version: 4,
    since: 3,
    worked_out: worked,
    changes: {
      gone: ["2"],
      clips: [
        { track: "a", clip: clip("3", 5) },
        { track: "a", clip: clip("1", 40) },
      ],
      tracks: [{ ...track("c"), off: true }],
      sends: { a: [], b: [{ to: "FX", gain_db: -3, patch: {} }] },
      begin: { start: 7 },
    },
  });
  expect(now.version).toBe(4);
  expect(now.doc.tracks.map((t) => t.clips.map((c) => `${c.id}@${c.at}`))).toEqual([["3@5", "1@40"], [], []]);
  expect(now.doc.tracks[2]?.off).toBe(true);
  expect(now.doc.weave.sends).toEqual({ b: [{ to: "FX", gain_db: -3, patch: {} }] });
  expect(now.doc.start).toBe(7);
  expect(now.worked_out.product).toEqual([[[1]]]);
  expect(reel.doc.tracks[0]?.clips).toHaveLength(2);
});

test("tracks come, go and change places; those that stay are the same", () => {
  const now = patched(reel, {
    name: "Reel 1",
    version: 4,
    since: 3,
    worked_out: { ...worked, product: [] },
    changes: {
      order: ["d", "a"],
      tracks: [track("d")],
      clips: [{ track: "d", clip: clip("9", 1) }],
      gone: ["3"],
      routing: { buses: [], outputs: [] },
    },
  });
  expect(now.doc.tracks.map((t) => t.id)).toEqual(["d", "a"]);
  expect(now.doc.tracks[0]?.clips).toHaveLength(1);
  expect(now.doc.tracks[1]).toBe(reel.doc.tracks[0]);
  expect(now.doc.weave.groups).toBeUndefined();
  expect(now.worked_out.product).toEqual([]);
});
