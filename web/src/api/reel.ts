import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useCallback } from "react";
import { patched } from "../editor/changes";
import { currentReel, goToReel, useCurrentReel } from "../editor/current";
import { plural } from "../format";
import { note } from "../ui/notes";
import {
  api,
  type EditAction,
  must,
  ProblemError,
  type Reel,
  type ReelEdited,
  type Schemas,
  type Take,
} from "./client";
import { editsWait, keepEdit } from "./outbox";
import { inTurn, keys } from "./queries";

type ReelKey = readonly string[];

/** Under what the reel is kept that is chosen now. */
const reelKey = (production: string): ReelKey => [...keys.reel(production), "at", currentReel(production)];

/** The reel that one works on. Once it is here, only what has changed is asked for. */
export function useReel(production: string) {
  const client = useQueryClient();
  useCurrentReel((s) => s.of[production]);
  const key = reelKey(production);
  return useQuery({
    queryKey: key,
    queryFn: () => fetchReel(client, production, key),
    structuralSharing: false,
  });
}

/** What an undo is about at a stage: the reel that is worked on, or the sheet of takes. */
export function useUndoOf(production: string, stage: string): () => string | undefined {
  const client = useQueryClient();
  return useCallback(() => {
    if (!["reel", "weave", "measure", "delivery"].includes(stage)) return "sheet";
    return currentReel(production) || client.getQueryData<Reel>(reelKey(production))?.id;
  }, [client, production, stage]);
}

/** All reels of a production. */
export function useReels(production: string) {
  return useQuery({
    queryKey: [...keys.reel(production), "all"],
    queryFn: () => must(api.GET("/api/productions/{production}/reels", { params: { path: { production } } })),
  });
}

/** Makes a further reel and goes there. */
export function useNewReel(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: (body: Schemas["NewReel"]) =>
      must(api.POST("/api/productions/{production}/reels", { params: { path: { production } }, body })),
    onSuccess: (reel) => {
      goToReel(production, reel.id);
      client.setQueryData(reelKey(production), reel);
      client.invalidateQueries({ queryKey: [...keys.reel(production), "all"] });
    },
    meta: { about: "Reels" },
  });
}

/** Renames a reel, or takes it away where no name is given. */
export function useNameReel(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: ({ reel, name }: { reel: string; name: string | null }) => {
      const params = { path: { reel } };
      return name === null
        ? must(api.DELETE("/api/reels/{reel}", { params }))
        : must(api.PATCH("/api/reels/{reel}", { params, body: { name } }));
    },
    onSuccess: (_, { name }) => {
      if (name === null) goToReel(production, "");
      client.invalidateQueries({ queryKey: keys.reel(production) });
    },
    meta: { about: "Reels" },
    onSettled: () => client.invalidateQueries({ queryKey: [...keys.production(production), "facts"] }),
  });
}

/** The reel that was chosen, or the first one where that is not there any more. */
async function fetchWhole(production: string, key: ReelKey): Promise<Reel> {
  const reel = key[key.length - 1] ?? "";
  if (reel) {
    try {
      return await must(api.GET("/api/reels/{reel}", { params: { path: { reel } } }));
    } catch (e) {
      if (!(e instanceof ProblemError) || e.code !== "not_found") throw e;
      if (currentReel(production) === reel) goToReel(production, "");
    }
  }
  return must(api.GET("/api/productions/{production}/reel", { params: { path: { production } } }));
}

/** Another reel may be chosen while an answer is on its way: the key is that of the reel that was asked for. */
async function fetchReel(client: QueryClient, production: string, key: ReelKey): Promise<Reel> {
  const here = client.getQueryData<Reel>(key);
  if (!here) return fetchWhole(production, key);
  const asked = await api.GET("/api/reels/{reel}/changes", {
    params: { path: { reel: here.id }, query: { since: here.version } },
  });
  if (asked.response.status === 404) return fetchWhole(production, key);
  const e = await must(Promise.resolve(asked));
  // An edit of one's own may have been answered meanwhile.
  const now = client.getQueryData<Reel>(key) ?? here;
  return merged(now, e) ?? fetchReel(client, production, key);
}

/** A reel with changes, or as it is where it has them; null where they were made to another version. */
function merged(now: Reel, e: ReelEdited): Reel | null {
  if (e.version === now.version && !e.whole)
    return {
      ...now,
      name: e.name,
      spec: e.spec,
      worked_out: { ...now.worked_out, detached: e.worked_out.detached ?? now.worked_out.detached },
    };
  if (e.version <= now.version && now.version !== e.since) return now;
  if (e.whole || e.since === now.version) return patched(now, e);
  return null;
}

/** What is done to a reel, in words and in actions. */
export type ReelEdit = { what: string; actions: EditAction[] };

async function take(client: QueryClient, production: string, e: ReelEdited, key: ReelKey): Promise<Reel> {
  const now = client.getQueryData<Reel>(key);
  const next = (now && merged(now, e)) ?? (await fetchReel(client, production, key));
  client.setQueryData(key, next);
  return next;
}

/**
 * Changes the reel. An edit is given as a function of the reel as it is when its turn comes (null for nothing to do), so
 * that quick keys add up. One that is stale because of somebody else is refused by the server, and the reel as it is
 * now is shown.
 */
export function useEditReel(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async (edit: (reel: Reel) => ReelEdit | null) => {
      const key = reelKey(production);
      const reel = client.getQueryData<Reel>(key);
      if (!reel) throw new Error("The reel is not loaded yet.");
      const v = edit(reel);
      if (!v) return reel;
      const body = { version: reel.version, what: v.what.slice(0, 200), actions: v.actions };
      const answer = editsWait()
        ? undefined
        : await api
            .POST("/api/reels/{reel}/edits", { params: { path: { reel: reel.id } }, body })
            .catch(() => undefined);
      if (!answer || answer.response.status >= 502) {
        // It goes behind what waits already, and is not thought to be done.
        keepEdit({ id: crypto.randomUUID(), what: v.what, reel: reel.id, body });
        return reel;
      }
      if (answer.response.status === 409 && answer.error?.code === "stale" && "current" in answer.error) {
        client.setQueryData(key, answer.error.current);
        throw new ProblemError(
          "stale",
          "Somebody else has changed the same in the reel meanwhile. It is shown as it is now; please do it again.",
        );
      }
      const edited = await must(Promise.resolve(answer)).catch((e) => {
        if (e instanceof ProblemError) e.tried = v.what;
        throw e;
      });
      return take(client, production, edited, key);
    },
    meta: { about: "Edit" },
    onSettled: () => client.invalidateQueries({ queryKey: [...keys.production(production), "facts"] }),
  });
}

/** Makes the master wider or narrower by some outputs. */
export function useGrow(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async (by: number) => {
      const key = reelKey(production);
      const reel = client.getQueryData<Reel>(key);
      if (!reel) throw new Error("The reel is not loaded yet.");
      const e = await must(
        api.POST("/api/reels/{reel}/width", {
          params: { path: { reel: reel.id } },
          body: { version: reel.version, outputs: reel.doc.weave.outputs.length + by },
        }),
      );
      return take(client, production, e, key);
    },
    meta: { about: "Outputs" },
    onSettled: () => client.invalidateQueries({ queryKey: [...keys.production(production), "facts"] }),
  });
}

/** Makes a reel of takes that are finished masters, laid out as they were sent, and goes there. */
export function useLayMasters(production: string) {
  const { mutate } = useNewReel(production);
  const navigate = useNavigate();
  return useCallback(
    (takes: Take[]) => {
      const first = takes[0];
      if (!first) {
        note("Choose takes first: finished masters, ours or anybody's.");
        return;
      }
      mutate(
        { name: `${first.name}, as sent`, masters: takes.map((t) => t.id) },
        { onSuccess: () => navigate({ to: "/$production/reel", params: { production } }) },
      );
    },
    [mutate, navigate, production],
  );
}

/** Takes takes into the reel. */
export function useLayTakes(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async ({ takes, again }: { takes: Take[]; again?: boolean }) => {
      const key = reelKey(production);
      const reel = client.getQueryData<Reel>(key) ?? (await fetchReel(client, production, key));
      client.setQueryData(key, reel);
      const e = await must(
        api.POST("/api/reels/{reel}/takes", {
          params: { path: { reel: reel.id } },
          body: { takes: takes.map((t) => t.id), again },
        }),
      );
      return take(client, production, e, key);
    },
    onSuccess: (reel, { takes }) => {
      note(
        `${takes.map((t) => t.name).join(", ")} taken into the reel, ${takes.reduce((n, t) => n + t.strands.length, 0)} strands (${reel.name}).`,
      );
    },
    meta: { about: "Laying takes" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.production(production) }),
  });
}

/** Adds the markers of a table to the reel. */
export function useReadMarkers(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async ({ reel, table }: { reel: string; table: string }) => {
      const key = reelKey(production);
      const e = await must(api.POST("/api/reels/{reel}/markers", { params: { path: { reel } }, body: { table } }));
      return take(client, production, e, key);
    },
    onSuccess: (reel) => note(`${plural(reel.doc.markers?.length ?? 0, "marker")} in the reel.`),
    meta: { about: "Markers" },
    onSettled: () => client.invalidateQueries({ queryKey: [...keys.production(production), "facts"] }),
  });
}

/** Lays what the events of a cut list are of. */
export const useLayCutList = (production: string) =>
  useWholeEdit(production, (reel: string, body: Schemas["CutListOrder"]) =>
    api.POST("/api/reels/{reel}/cut-list/lay", { params: { path: { reel } }, body }),
  );

/** Brings tracks over from another reel. */
export const useBringOver = (production: string) =>
  useWholeEdit(production, (reel: string, body: Schemas["Bringing"]) =>
    api.POST("/api/reels/{reel}/bring", { params: { path: { reel } }, body }),
  );

/** An edit of the reel that the server works out as a whole. */
function useWholeEdit<T>(production: string, post: (reel: string, body: T) => Parameters<typeof must<ReelEdited>>[0]) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async (body: T) => {
      const key = reelKey(production);
      const reel = client.getQueryData<Reel>(key);
      if (!reel) throw new Error("The reel is not loaded yet.");
      return take(client, production, await must(post(reel.id, body)), key);
    },
    meta: { about: "Edit" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.production(production) }),
  });
}
