import type { Take } from "../../api/client";
import { search } from "./search";

/** A line of the sheet: a take, or the head of a group of takes. */
export type Line = { take: Take } | { group: string; count: number };

// One for all: a comparison that makes its own takes a hundred times as long.
const collator = new Intl.Collator(undefined, { numeric: true });

// Groups are in the order of their names; what a name begins with before a tab only orders it.
const groups: Record<string, (t: Take) => string> = {
  kind: (t) => (t.camera ? "2\tCameras" : "1\tRecordings"),
  scene: (t) => (t.scene ? `Scene ${t.scene}` : "No scene"),
  day: (t) => t.day || "No day",
  recorder: (t) => t.recorder || "No recorder",
};

const start = (t: Take) => (t.start ?? Number.MAX_SAFE_INTEGER) / t.sample_rate;
const byStart = (a: Take, b: Take) => start(a) - start(b);
const byScene = (a: Take, b: Take) => collator.compare(a.name, b.name);
const sorts: Record<string, (a: Take, b: Take) => number> = {
  start: (a, b) => byStart(a, b) || byScene(a, b),
  scene: (a, b) => byScene(a, b) || byStart(a, b),
  longest: (a, b) => b.frames / b.sample_rate - a.frames / a.sample_rate || byScene(a, b),
  snags: (a, b) => Number(b.snags.length > 0) - Number(a.snags.length > 0) || byStart(a, b) || byScene(a, b),
};

/** The order that takes stand in: which take of the list comes first, which next. */
export type Order = { by: string; ids: string; places: number[] };

export const noOrder: Order = { by: "", ids: "", places: [] };

/** Puts takes in order. That of before stays where the takes and what it goes by do: what is typed moves no row. */
export function ordered(takes: Take[], by: string, was: Order): Order {
  const ids = takes.map((t) => t.id).join(" ");
  if (was.by === by && was.ids === ids) return was;
  const compare = sorts[by] ?? byScene;
  const all = takes.map((take, place) => ({ take, place })).sort((a, b) => compare(a.take, b.take));
  return { by, ids, places: all.map((t) => t.place) };
}

/** Takes that a search finds, in order and in groups ("none", or the name of one), with the lines that show them. */
export function arranged(
  takes: Take[],
  query: string,
  group: string,
  { places }: Order,
): { lines: Line[]; takes: Take[] } {
  const finds = search(query);
  const found = places.map((i) => takes[i]).filter((t) => t !== undefined && finds(t)) as Take[];
  const of = groups[group];
  const apart = group !== "kind" || (found.some((t) => t.camera) && found.some((t) => !t.camera));
  if (!of || !apart) return { lines: found.map((take) => ({ take })), takes: found };
  const heads = new Map<string, Take[]>();
  for (const t of found) {
    const head = of(t);
    const group = heads.get(head);
    if (group) group.push(t);
    else heads.set(head, [t]);
  }
  const sorted = [...heads].sort(([a], [b]) => collator.compare(a, b));
  return {
    lines: sorted.flatMap(([name, ts]): Line[] => [
      { group: name.replace(/^.*\t/, ""), count: ts.length },
      ...ts.map((take) => ({ take })),
    ]),
    takes: sorted.flatMap(([, ts]) => ts),
  };
}
