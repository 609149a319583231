import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import type { Schemas } from "./client";
import { keys } from "./queries";

/** How far jobs are, by the id of the file or delivery they are about. */
export const useProgress = create<Record<string, { done: number; total: number }>>(() => ({}));

/**
 * Listens to what happens in a production and refreshes what is shown of it. Many events at once,
 * as when hundreds of files arrive, are answered a few times a second.
 */
export function useEvents(production: string) {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource(`/api/productions/${production}/events`);
    const stale = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    let rest = 150; // ms between refreshes: long lists are fetched less often, so that input is answered
    const refresh = async () => {
      const lists = {
        files: keys.files(production),
        takes: keys.takes(production),
        reel: keys.reel(production),
        deliveries: keys.deliveries(production),
        writings: keys.writings(production),
        shelf: keys.watch(production),
        syncs: keys.syncs(production),
      };
      const wanted = [...stale].flatMap((kind) => {
        const key = lists[kind as keyof typeof lists];
        // Prints have no list of their own: they are in the queue, and then among the takes.
        const queue = ["deliveries", "writings", "prints"].includes(kind) ? [keys.queue(production)] : [];
        return key ? [key, ...queue] : queue;
      });
      stale.clear();
      const began = performance.now();
      await Promise.all(
        [...wanted, [...keys.production(production), "facts"]].map((queryKey) =>
          client.invalidateQueries({ queryKey }),
        ),
      );
      rest = Math.max(150, Math.min(5000, 4 * (performance.now() - began)));
      timer = undefined;
      if (stale.size > 0 && !ended) timer = setTimeout(refresh, rest);
    };
    let ended = false;
    source.onmessage = (m) => {
      const e = JSON.parse(m.data) as Schemas["Event"];
      if (e.kind === "progress") {
        if (e.id) useProgress.setState({ [e.id]: { done: e.done ?? 0, total: e.total ?? 0 } });
        return;
      }
      stale.add(e.kind);
      timer ??= setTimeout(refresh, rest);
    };
    // After a break, whatever happened meanwhile is fetched.
    let opened = false;
    source.onopen = () => {
      if (opened) client.invalidateQueries({ queryKey: keys.production(production) });
      opened = true;
    };
    return () => {
      ended = true;
      clearTimeout(timer);
      source.close();
    };
  }, [client, production]);
}
