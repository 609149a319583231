import type { QueryClient } from "@tanstack/react-query";
import { api, type FileCard, must, type SyncPair, type Take } from "./client";
import { keys } from "./queries";
import { type Row, withRows } from "./withRows";

/** How many rows are asked for at once: the most that the server says have changed. */
const most = 100;

/** Lists of which single rows can be read anew, by the kind of event that tells of them. */
const lists = {
  takes: {
    key: keys.takes,
    page: (production: string, rows: string[]) =>
      must(api.GET("/api/productions/{production}/takes", { params: { path: { production }, query: { rows } } })),
  },
  files: {
    key: keys.files,
    page: (production: string, rows: string[]) =>
      must(api.GET("/api/productions/{production}/files", { params: { path: { production }, query: { rows } } })),
  },
  syncs: {
    key: keys.syncs,
    page: (production: string, rows: string[]) =>
      must(api.GET("/api/productions/{production}/syncs", { params: { path: { production }, query: { rows } } })),
  },
};

/** Reads rows of a list anew, and the list where it is not here yet or is on its way. False for kinds without rows. */
export async function readRows(client: QueryClient, production: string, kind: string, rows: Set<string>) {
  if (!(kind in lists)) return false;
  const list = lists[kind as keyof typeof lists];
  const queryKey = list.key(production);
  const state = client.getQueryState(queryKey);
  if (state?.data === undefined && state?.fetchStatus !== "fetching") return true; // nobody has looked at it
  if (state.data === undefined || state.isInvalidated || rows.size > 5 * most) {
    await client.invalidateQueries({ queryKey, exact: true });
    return true;
  }
  // A list that is on its way may have been read before the rows changed: they are read once it is here.
  await client
    .getQueryCache()
    .find({ queryKey, exact: true })
    ?.promise?.catch(() => undefined);
  const all = [...rows];
  for (let i = 0; i < all.length; i += most) {
    const asked = all.slice(i, i + most);
    const got = (await list.page(production, asked)).items as (Take | FileCard | SyncPair)[];
    client.setQueryData<Row[]>(queryKey, (now) => now && withRows(now, asked, got));
  }
  return true;
}
