import { describe, expect, test } from "vitest";
import type { Take } from "../../api/client";
import { arranged, noOrder, ordered } from "./order";

const take = (name: string, more: Partial<Take> = {}) =>
  ({
    id: name,
    name,
    scene: name.split("-")[0],
    take: "",
    roll: "",
    note: "",
    day: "",
    recorder: "",
    strands: [],
    snags: [],
    suggestions: [],
    start: 0,
    frames: 1,
    sample_rate: 1,
    camera: false,
    ...more,
  }) as unknown as Take;

const shown = (takes: Take[], { by = "scene", query = "", group = "none", was = noOrder } = {}) => {
  const { lines } = arranged(takes, query, group, ordered(takes, by, was));
  return lines.map((l) => ("group" in l ? `${l.group} (${l.count})` : l.take.name));
};

describe("the order of the sheet", () => {
  const all = [
    take("22-10", { start: 5, frames: 9 }),
    take("22-9", { start: 480, sample_rate: 96 }),
    take("3-1", { start: undefined, snags: [{ code: "x", message: "y" }] }),
    take("B001", { camera: true, start: 1 }),
  ];
  test.each([
    ["scene", ["3-1", "22-9", "22-10", "B001"]],
    ["start", ["B001", "22-9", "22-10", "3-1"]],
    ["longest", ["22-10", "3-1", "B001", "22-9"]],
    ["snags", ["3-1", "B001", "22-9", "22-10"]],
  ])("by %s", (by, want) => {
    expect(shown(all, { by })).toEqual(want);
  });

  test("groups by number, cameras apart only where there is something else", () => {
    expect(shown(all, { group: "scene" })).toEqual([
      "Scene 3 (1)",
      "3-1",
      "Scene 22 (2)",
      "22-9",
      "22-10",
      "Scene B001 (1)",
      "B001",
    ]);
    expect(shown(all, { group: "kind" })[0]).toBe("Recordings (3)");
    expect(shown(all, { group: "kind", query: "scene:22" })).toEqual(["22-9", "22-10"]);
  });

  test("what is typed moves no row; what comes or goes does", () => {
    const was = ordered(all, "scene", noOrder);
    const typed = all.map((t) => (t.name === "3-1" ? { ...t, name: "99-1" } : t));
    expect(ordered(typed, "scene", was)).toBe(was);
    expect(shown(typed, { was })).toEqual(["99-1", "22-9", "22-10", "B001"]);
    expect(shown([...typed, take("1-1")], { was })).toEqual(["1-1", "22-9", "22-10", "99-1", "B001"]);
    expect(shown(typed, { was, by: "start" })[0]).toBe("B001");
  });

  test("ten thousand are put in order without a comparison being made for each", () => {
    const many = Array.from({ length: 10_000 }, (_, i) => take(`${(i * 7919) % 10_000}-1`));
    const { takes, lines } = arranged(many, "", "scene", ordered(many, "scene", noOrder));
    expect(takes.map((t) => t.name)).toEqual(Array.from({ length: 10_000 }, (_, i) => `${i}-1`));
    expect(lines).toHaveLength(20_000);
  });
});
