import { describe, expect, it } from "vitest";
import type { Strand, Take } from "../../api/client";
import { readTSV, writeTSV } from "../../ui/tsv";
import { alongWith, applied, edits, fillDown, knownLabels, paste, readPart, stemAndPart, textAt } from "./cells";
import { groupWords } from "./groupWords";
import { alike, readAs } from "./readings";
import { search } from "./search";

function take(name: string, labels: string[], more: Partial<Take> = {}): Take {
  return {
    id: name,
    name,
    scene: name.split("-")[0],
    take: name.split("-")[1] ?? "",
    roll: "LF07",
    note: "",
    day: "2026-03-14",
    recorder: "",
    circled: false,
    wild_track: false,
    no_good: false,
    false_start: false,
    snags: [],
    suggestions: [],
    final: true,
    in_reel: false,
    reels: [],
    strands: labels.map(
      (label, i) => ({ id: `${name}/${i}`, label, stem: "", part: "", file_name: `${name}.wav` }) as Strand,
    ),
    ...more,
  } as Take;
}

const takes = [
  take("21A-1", ["Boom", "Lav Ines"]),
  take("21A-3", ["Boom", ""], { circled: true, note: "low water, rain" }),
  take("22-1", ["Plant"], { snags: [{ code: "x", message: "x" }] }),
];
const names = (query: string) => takes.filter(search(query)).map((t) => t.name);

describe("search", () => {
  it.each([
    ["", ["21A-1", "21A-3", "22-1"]],
    ["scene:21", ["21A-1", "21A-3"]],
    ["scene:1", []],
    ["scene:21 circled boom", ["21A-3"]],
    ["scene:21 -circled", ["21A-1"]],
    ["unlabelled", ["21A-3"]],
    ["snag", ["22-1"]],
    ['"low water"', ["21A-3"]],
    ['note:"water, rain" BOOM', ["21A-3"]],
    ["label:ines", ["21A-1"]],
    ["water low", ["21A-3"]],
    ["nothing:here", []],
  ])("%s", (query, want) => expect(names(query)).toEqual(want));
});

describe("tab-separated text", () => {
  it("comes back as it went", () => {
    const rows = [
      ["a", 'say "no"', ""],
      ["tab\there", "two\nlines", "ø"],
    ];
    expect(readTSV(writeTSV(rows))).toEqual(rows);
  });
  it("is read as spreadsheets write it", () => {
    expect(readTSV("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(readTSV("")).toEqual([[""]]);
  });
});

describe("cells", () => {
  it("say what was seen with what is typed", () => {
    expect(edits(takes[0] as Take, 5, " Plant ")).toEqual([
      { row: "21A-1/0", field: "label", value: "Plant", was: "Boom" },
    ]);
    expect(edits(takes[0] as Take, 5, "Boom")).toEqual([]);
    expect(edits(takes[2] as Take, 9, "beyond the strands")).toEqual([]);
    expect(edits(takes[1] as Take, 3, "w").map((c) => [c.field, c.value])).toEqual([
      ["circled", false],
      ["wild_track", true],
    ]);
  });
  it("are filled down and pasted", () => {
    expect(fillDown(takes, { row: 0, col: 5 }, { row: 2, col: 6 }).map((c) => [c.row, c.value])).toEqual([
      ["21A-3/1", "Lav Ines"],
      ["22-1/0", "Boom"],
    ]);
    const block = [
      ["A", "B"],
      ["C", "D"],
    ];
    expect(paste(takes, { row: 1, col: 5 }, { row: 1, col: 5 }, block).map((c) => [c.row, c.value])).toEqual([
      ["21A-3/0", "A"],
      ["21A-3/1", "B"],
      ["22-1/0", "C"],
    ]);
    expect(paste(takes, { row: 0, col: 2 }, { row: 2, col: 2 }, [["LF08"]])).toHaveLength(3);
  });
  it("are shown at once", () => {
    const after = applied(takes, edits(takes[0] as Take, 6, "Lav Odell"));
    expect(textAt(after[0] as Take, 6)).toBe("Lav Odell");
    expect(after[1]).toBe(takes[1]);
  });
});

describe("reading strands together", () => {
  const base = {
    id: "t",
    readings: [] as unknown[],
    recorder: "A",
    strands: [1, 2, 3, 4].map((position) => ({ position })),
  };
  const pair = { kind: "stereo" as const, positions: [1, 2], order: [], name: "stereo pair" };
  const make = (id: string, readings: unknown[]) => ({ ...base, id, readings }) as unknown as Take;
  it("replaces what was said of the same strands and keeps the rest", () => {
    const t = make("t", [
      { kind: "stereo", positions: [1, 2], order: [], name: "stereo pair" },
      { kind: "stereo", positions: [3, 4], order: [], name: "stereo pair" },
    ]);
    const cells = readAs([t], { ...pair, kind: "mid_side" }, [2, 3]);
    expect(cells[0]?.value).toEqual([{ kind: "mid_side", positions: [2, 3], order: [] }]);
    expect(readAs([t], null, [1, 2])[0]?.value).toEqual([{ kind: "stereo", positions: [3, 4], order: [] }]);
  });
  it("changes nothing where it is so already, or where a strand is missing", () => {
    expect(readAs([make("t", [pair])], pair, [1, 2])).toEqual([]);
    expect(readAs([make("t", [])], pair, [4, 5])).toEqual([]);
    expect(alike(make("a", []), make("b", [pair]))).toBe(true);
  });
});

describe("label, stem and part together", () => {
  const strand = (label: string, stem = "", part = "") =>
    ({ id: label + stem, label, stem, part }) as unknown as Strand;
  const known = knownLabels([
    { strands: [strand("Lav Ines"), strand("Boom", "DX")] } as unknown as Take,
    { strands: [strand("Lav Ines", "DX", "Ines"), strand("Boom"), strand("Boom")] } as unknown as Take,
  ]);
  it("offers the labels in use, the most used first, with what they were given", () => {
    expect([...known]).toEqual([
      ["Boom", { stem: "DX", part: "" }],
      ["Lav Ines", { stem: "DX", part: "Ines" }],
    ]);
  });
  it("gives them to a strand that has neither, and to no other", () => {
    expect(alongWith(strand(""), " Lav Ines ", known).map((c) => [c.field, c.value])).toEqual([
      ["stem", "DX"],
      ["part", "Ines"],
    ]);
    expect(alongWith(strand("", "FX"), "Lav Ines", known)).toEqual([]);
    expect(alongWith(strand(""), "Nobody", known)).toEqual([]);
  });
  it("reads a part with its stem or alone", () => {
    expect(readPart("dx / Ines")).toEqual({ stem: "DX", part: "Ines" });
    expect(readPart("Ines ")).toEqual({ part: "Ines" });
    expect(readPart("AC/DC")).toEqual({ part: "AC/DC" });
    expect(stemAndPart({ stem: "DX", part: "" })).toBe("DX");
  });
});

describe("why files are one take", () => {
  it.each([
    [{ final: false, why: "one mono file", order: "" }, 1, "One mono file stands by itself. Is that right?"],
    [{ final: true, why: "one mono file", order: "" }, 1, "One mono file stands by itself. That was accepted."],
    [
      { final: false, why: "their names begin with MX", order: "L R" },
      2,
      "Proposed: 2 files as one take. Their names begin with MX. Order: L R.",
    ],
    [
      { final: true, why: "a person put them together", order: "" },
      3,
      "Accepted: 3 files as one take. A person put them together.",
    ],
  ])("is said as a person would: %o", (take, files, words) => {
    expect(groupWords(take, files)).toBe(words);
  });
});
