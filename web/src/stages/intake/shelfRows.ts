import type { Schemas } from "../../api/client";

type Entry = Schemas["ShelfEntry"];

/** The rows of the list: entries of a folder, or what was found, folder by folder under heads that fold. */
export function shelfRows(
  entries: Entry[],
  found: boolean,
  folded: ReadonlySet<string>,
): (Entry | { head: string; count: number })[] {
  if (!found) return entries;
  const of = new Map<string, Entry[]>();
  for (const e of entries) {
    const folder = e.path.includes("/") ? e.path.slice(0, e.path.lastIndexOf("/")) : "";
    of.set(folder, [...(of.get(folder) ?? []), e]);
  }
  return [...of].flatMap(([head, list]) => [{ head, count: list.length }, ...(folded.has(head) ? [] : list)]);
}
