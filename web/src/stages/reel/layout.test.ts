import { expect, test } from "vitest";
import type { Reel } from "../../api/client";
import { bands, tickStep } from "./layout";

const rate = { num: 25, den: 1, drop: false };

test("tracks stand in bands by stem, those without one last, else as laid", () => {
  const track = (id: string) => ({ id, label: id, layout: "mono", off: false, clips: [] });
  const route = (to: string) => [{ to, gain_db: 0, patch: { preset: "both" } }];
  const stem = (id: string) => ({ id, name: id, role: "stem", layout: "stereo" });
  const part = { id: "Ines", name: "Ines", role: "part", of: "DX", layout: "stereo" };
  const reel = {
    doc: {
      tracks: ["a", "b", "c", "d", "e"].map(track),
      weave: {
        buses: [stem("DX"), stem("FX"), part],
        sends: { b: route("FX"), c: route("DX"), e: route("Ines") },
        outputs: [],
      },
    },
  } as unknown as Reel;
  expect(bands(reel).map((t) => t.id)).toEqual(["c", "e", "b", "a", "d"]);
});

test("ruler marks are whole frames, seconds or minutes, and never crowd", () => {
  for (const px of [1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 0.1, 1]) {
    const step = tickStep(px, 48000, rate);
    expect(step % 1920).toBe(0);
    if (step < 7200 * 48000) expect(step * px).toBeGreaterThanOrEqual(110);
  }
  expect(tickStep(1, 48000, rate)).toBe(1920);
});
