export type Row = { id: string };

/**
 * A list with rows read anew: `asked` are the ids that were asked for, `got` what is there of them. What is not there any
 * more goes, what is new comes in its place: lists stand in the order of their ids.
 */
export function withRows<T extends Row>(list: T[], asked: Iterable<string>, got: T[]): T[] {
  const gone = new Set(asked);
  for (const row of got) gone.add(row.id);
  const kept = list.filter((row) => !gone.has(row.id));
  const fresh = [...got].sort((a, b) => (a.id < b.id ? -1 : 1));
  const out: T[] = [];
  let next = 0;
  for (const row of kept) {
    for (let f = fresh[next]; f && f.id < row.id; f = fresh[++next]) out.push(f);
    out.push(row);
  }
  return [...out, ...fresh.slice(next)];
}
