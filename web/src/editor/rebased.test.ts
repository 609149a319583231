import { describe, expect, it } from "vitest";
import { rebased } from "./rebased";

describe("a change of what was shown, done to what is there now", () => {
  const shown = {
    high_pass: { hz: 80, slope: 12 },
    bands: [
      { hz: 200, db: 0 },
      { hz: 500, db: 0 },
    ],
    off: true,
  };
  it("keeps what others of one's own have changed meanwhile", () => {
    const now = { ...shown, high_pass: { hz: 1000, slope: 12 } };
    expect(rebased(shown, { ...shown, high_pass: { hz: 80, slope: 24 } }, now).high_pass).toEqual({
      hz: 1000,
      slope: 24,
    });
  });
  it("goes into lists of one length", () => {
    const now = {
      ...shown,
      bands: [
        { hz: 200, db: 3 },
        { hz: 500, db: 0 },
      ],
    };
    const changed = {
      ...shown,
      bands: [
        { hz: 200, db: 0 },
        { hz: 700, db: 0 },
      ],
    };
    expect(rebased(shown, changed, now).bands).toEqual([
      { hz: 200, db: 3 },
      { hz: 700, db: 0 },
    ]);
  });
  it("takes a list of another length as it was made", () => {
    const now = {
      ...shown,
      bands: [
        { hz: 200, db: 3 },
        { hz: 500, db: 0 },
      ],
    };
    expect(rebased(shown, { ...shown, bands: [] }, now).bands).toEqual([]);
  });
  it("takes away what was taken away, and what was made anew", () => {
    const now = { ...shown, high_pass: { hz: 1000, slope: 12 } };
    const { off: _, ...rest } = shown;
    expect(rebased<Partial<typeof shown>>(shown, rest, now).off).toBeUndefined();
    expect(rebased<{ a?: number }>({}, { a: 1 }, { a: 2 })).toEqual({ a: 1 });
  });
  it("is the change itself where nothing happened between", () => {
    const changed = { ...shown, off: false };
    expect(rebased(shown, changed, shown)).toBe(changed);
  });
});
