import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, must, type SyncPair } from "../../api/client";
import { keys } from "../../api/queries";
import { failed } from "../../ui/notes";
import { nudged } from "./view";

/** What is still on its way to the server. */
const moving = new Set<Promise<void>>();

/** Waits until all moves by hand have arrived: nothing is decided on a place that was left already. */
export async function allMoved() {
  while (moving.size > 0) await Promise.all(moving);
}

/**
 * A pair as it is moved by hand. What is seen follows at once; the server is told as fast as it answers,
 * of the newest place only.
 */
export function useNudge(production: string, pair: SyncPair, onMoved: () => void) {
  const client = useQueryClient();
  const [wanted, setWanted] = useState<number | null>(null);
  const state = useRef({ wanted: null as number | null, there: pair.nudge, busy: false });
  useEffect(() => {
    if (!state.current.busy) state.current.there = pair.nudge;
  }, [pair.nudge]);
  const send = async () => {
    const s = state.current;
    if (s.busy) return;
    s.busy = true;
    try {
      do {
        const to = s.wanted ?? s.there;
        if (to !== s.there) {
          await must(
            api.PUT("/api/syncs/{sync}/nudge", {
              params: { path: { sync: pair.id } },
              body: { samples: to, was: s.there },
            }),
          );
          s.there = to;
        }
        await client.invalidateQueries({ queryKey: keys.production(production) });
      } while (s.wanted !== null && s.wanted !== s.there); // moved on meanwhile
    } catch (e) {
      failed("Moving a pair", e);
      await client.invalidateQueries({ queryKey: keys.production(production) });
    }
    s.busy = false;
    s.wanted = null;
    setWanted(null);
    onMoved();
  };
  const by = (samples: number) => {
    const s = state.current;
    s.wanted = (s.wanted ?? s.there) + Math.round(samples);
    setWanted(s.wanted);
    const sent = send();
    moving.add(sent);
    void sent.finally(() => moving.delete(sent));
  };
  const seen = useMemo(() => (wanted === null ? pair : nudged(pair, wanted)), [pair, wanted]);
  return { seen, by };
}
