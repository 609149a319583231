import type { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { note, wrong } from "../ui/notes";
import { api, type Schemas } from "./client";

/** An edit that could not be sent: what it is, in words, and what is to be sent. */
export type Waiting = {
  id: string;
  what: string;
} & ({ reel: string; body: Schemas["ReelEdit"] } | { production: string; body: Schemas["SheetEdit"] });

const name = "outbox";

function kept(): Waiting[] {
  try {
    const list = JSON.parse(localStorage.getItem(name) ?? "[]") as unknown;
    return Array.isArray(list) ? (list as Waiting[]) : [];
  } catch {
    return [];
  }
}

/** Edits that are not kept by the server yet, the oldest first. They lie in this browser and survive a reload. */
export const useOutbox = create<{ waiting: Waiting[] }>(() => ({ waiting: kept() }));

function put(waiting: Waiting[]) {
  if (waiting.length > 0) localStorage.setItem(name, JSON.stringify(waiting));
  else localStorage.removeItem(name);
  useOutbox.setState({ waiting });
}

/** Keeps an edit that could not be sent. Where the browser has no room for it, that is thrown: nobody may think it is kept. */
export function keepEdit(w: Waiting) {
  put([...useOutbox.getState().waiting, w]);
}

/** Throws away what was not sent. */
export const dropEdits = () => put([]);

/** Whether edits wait: what is done now goes behind them. */
export const editsWait = () => useOutbox.getState().waiting.length > 0;

let sending = false;

/** Sends what waits, in order, until the server is away again. What it refuses is said, with what it was. */
export async function sendWaiting(client: QueryClient) {
  if (sending || !editsWait()) return;
  sending = true;
  let all = true;
  try {
    for (let w = useOutbox.getState().waiting[0]; w; w = useOutbox.getState().waiting[0]) {
      let refused: string | undefined;
      try {
        refused = await send(w);
      } catch {
        return; // the server is away: it goes on later
      }
      put(useOutbox.getState().waiting.filter((o) => o.id !== w?.id));
      if (!refused) continue;
      all = false;
      wrong("Kept edits", `“${w.what}” was made while the server was away, and could not be done: ${refused}`);
    }
    if (all) note("All edits that were waiting are kept by the server now.");
  } finally {
    sending = false;
    void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "condition" });
  }
}

/** Sends one, and says why it was refused, if it was. What has no answer, or comes to a server that is ill, is thrown. */
async function send(w: Waiting): Promise<string | undefined> {
  if ("production" in w) {
    const got = await api.POST("/api/productions/{production}/sheet", {
      params: { path: { production: w.production } },
      body: w.body,
    });
    return outcome(got);
  }
  const got = await api.POST("/api/reels/{reel}/edits", { params: { path: { reel: w.reel } }, body: w.body });
  const v = got.data?.version;
  // Nobody else came between: what was made on the same version behind it stands on this one.
  if (v !== undefined && v === w.body.version + 1)
    put(
      useOutbox
        .getState()
        .waiting.map((o) =>
          "reel" in o && o.reel === w.reel && o.body.version === w.body.version
            ? { ...o, body: { ...o.body, version: v } }
            : o,
        ),
    );
  return outcome(got);
}

function outcome(got: { error?: unknown; response: Response }): string | undefined {
  if (got.response.ok) return undefined;
  if (got.response.status >= 502) throw new Error("the server is away");
  return (got.error as Partial<Schemas["Problem"]> | undefined)?.detail ?? `the server answered ${got.response.status}`;
}
