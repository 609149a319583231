import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import type { Reel, Schemas } from "./client";
import { inTurn, keys } from "./queries";
import { readRows } from "./rows";

/** How far jobs are, by the id of the file or delivery they are about. */
export const useProgress = create<Record<string, { done: number; total: number }>>(() => ({}));

/** Whether a reel is shown, and at a version at least. */
const knownReel = (client: QueryClient, production: string, id: string, version: number) =>
  client
    .getQueriesData<Reel>({ queryKey: [...keys.reel(production), "at"] })
    .some(([, reel]) => reel?.id === id && reel.version >= version);

/** ms for which events are gathered before they are answered: those of one edit come together. */
const gathering = 20;

/**
 * Listens to what happens in a production and refreshes what is shown of it: single rows where it is said which have
 * changed, else lists. Many events at once, as when hundreds of files arrive, are answered a few times a second.
 */
export function useEvents(production: string) {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource(`/api/productions/${production}/events`);
    const stale = new Map<string, Set<string> | "all">(); // rows by kind of event
    const edited = new Map<string, number>(); // versions of reels by their ids, after edits
    const turn = inTurn(production); // that all changes of reels are made in
    let timer: ReturnType<typeof setTimeout> | undefined;
    let rest = 0; // ms between refreshes: long lists are fetched less often, so that input is answered
    let ended = 0; // when the last one was over
    const soon = () => Math.max(gathering, ended + rest - performance.now());
    const refresh = async () => {
      // Edits of one's own are answered with what they changed: nothing is asked again for them. What else is stale does not wait
      // for those answers, and nobody waits for a change that is none of a reel, such as an upload.
      const answers = edited.size > 0 && client.isMutating({ predicate: (m) => m.options.scope?.id === turn.id }) > 0;
      if (answers && stale.size === 0) {
        timer = setTimeout(refresh, gathering);
        return;
      }
      if (!answers) {
        if ([...edited].some(([id, version]) => !knownReel(client, production, id, version))) stale.set("reel", "all");
        edited.clear();
      }
      const lists = {
        files: keys.files(production),
        takes: keys.takes(production),
        reel: keys.reel(production),
        deliveries: keys.deliveries(production),
        writings: keys.writings(production),
        shelf: keys.watch(production),
        syncs: keys.syncs(production),
      };
      const changed = [...stale];
      stale.clear();
      const began = performance.now();
      const rows = changed.filter(([, rows]) => rows !== "all") as [string, Set<string>][];
      const single = await Promise.all(
        rows.map(([kind, ids]) => readRows(client, production, kind, ids).catch(() => false)),
      );
      const done = new Set(rows.filter((_, i) => single[i]).map(([kind]) => kind));
      const wanted = changed.flatMap(([kind]) => {
        const key = done.has(kind) ? undefined : lists[kind as keyof typeof lists];
        // Prints have no list of their own: they are in the queue, and then among the takes.
        const queue = ["deliveries", "writings", "prints"].includes(kind) ? [keys.queue(production)] : [];
        // What hash lists make of the files is worked out over all of them.
        const listed = kind === "files" && !key ? [keys.hashLists(production)] : [];
        const named = kind === "takes" ? [["differing names"]] : [];
        return [...(key ? [key] : []), ...queue, ...listed, ...named];
      });
      await Promise.all(
        [...wanted, [...keys.production(production), "facts"]].map((queryKey) =>
          client.invalidateQueries({ queryKey }),
        ),
      );
      ended = performance.now();
      rest = Math.min(5000, 4 * (ended - began));
      timer = undefined;
      if (stale.size + edited.size > 0 && !gone) timer = setTimeout(refresh, soon());
    };
    let gone = false;
    source.onmessage = (m) => {
      const e = JSON.parse(m.data) as Schemas["Event"];
      if (e.kind === "progress") {
        if (e.id) useProgress.setState({ [e.id]: { done: e.done ?? 0, total: e.total ?? 0 } });
        return;
      }
      if (e.kind === "reel" && e.id && e.version) {
        edited.set(e.id, Math.max(e.version, edited.get(e.id) ?? 0));
        timer ??= setTimeout(refresh, soon());
        return;
      }
      const rows = e.rows ?? (e.id ? [e.id] : undefined);
      const known = stale.get(e.kind);
      if (!rows || known === "all") stale.set(e.kind, "all");
      else stale.set(e.kind, new Set([...(known ?? []), ...rows]));
      timer ??= setTimeout(refresh, soon());
    };
    // After a break, whatever happened meanwhile is fetched.
    let opened = false;
    source.onopen = () => {
      if (opened) client.invalidateQueries({ queryKey: keys.production(production) });
      opened = true;
    };
    return () => {
      gone = true;
      clearTimeout(timer);
      source.close();
    };
  }, [client, production]);
}
