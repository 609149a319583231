import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { plural } from "../format";
import { applied, type SheetCell } from "../stages/takes/cells";
import { note } from "../ui/notes";
import { api, type FileCard, must, type Production, type Schemas, type SyncPair, type Take } from "./client";
import { editsWait, keepEdit } from "./outbox";

type Page<T> = { items: T[]; next: string };

/** Every list is fetched whole, page after page: lists are virtual, and searching needs all of it. */
async function allPages<T>(page: (after: string) => Promise<Page<T>>, begun?: (first: T[]) => void): Promise<T[]> {
  const all: T[] = [];
  let after = "";
  do {
    const got = await page(after);
    all.push(...got.items);
    if (after === "" && got.next !== "") begun?.(got.items);
    after = got.next;
  } while (after !== "");
  return all;
}

/**
 * A list of rows that may be thousands: its first page is shown while the others come. What is the same in rows that are
 * read anew is not looked for, which would take longer than to draw them.
 */
function useRows<T>(queryKey: readonly string[], page: (after: string) => Promise<Page<T>>) {
  return useQuery<T[]>({
    queryKey,
    structuralSharing: false,
    queryFn: ({ client }) =>
      allPages(page, (first) => client.getQueryData(queryKey) ?? client.setQueryData(queryKey, [...first])),
  });
}

export const keys = {
  productions: ["productions"] as const,
  production: (id: string) => ["production", id] as const,
  files: (id: string) => ["production", id, "files"] as const,
  takes: (id: string) => ["production", id, "takes"] as const,
  reel: (id: string) => ["production", id, "reel"] as const,
  templates: (id: string) => ["production", id, "templates"] as const,
  writings: (id: string) => ["production", id, "writings"] as const,
  watch: (id: string) => ["production", id, "watch"] as const,
  hashLists: (id: string) => ["production", id, "files", "hash lists"] as const,
  syncs: (id: string) => ["production", id, "syncs"] as const,
  deliveries: (id: string) => ["production", id, "deliveries"] as const,
  queue: (id: string) => ["production", id, "queue"] as const,
};

export function useProductions() {
  return useQuery({
    queryKey: keys.productions,
    queryFn: () =>
      allPages<Production>((after) => must(api.GET("/api/productions", { params: { query: { after, limit: 500 } } }))),
  });
}

export function useProduction(production: string) {
  return useQuery({
    queryKey: [...keys.production(production), "facts"],
    queryFn: () => must(api.GET("/api/productions/{production}", { params: { path: { production } } })),
  });
}

export function useFiles(production: string) {
  return useRows<FileCard>(keys.files(production), (after) =>
    must(
      api.GET("/api/productions/{production}/files", {
        params: { path: { production }, query: { after, limit: after ? 1000 : 100 } },
      }),
    ),
  );
}

export function useTakes(production: string) {
  return useRows<Take>(keys.takes(production), (after) =>
    must(
      api.GET("/api/productions/{production}/takes", {
        params: { path: { production }, query: { after, limit: after ? 1000 : 100 } },
      }),
    ),
  );
}

export function useDeliveries(production: string) {
  return useQuery({
    queryKey: keys.deliveries(production),
    queryFn: () => must(api.GET("/api/productions/{production}/deliveries", { params: { path: { production } } })),
  });
}

export function useTemplates(production: string) {
  return useQuery({
    queryKey: keys.templates(production),
    queryFn: () => must(api.GET("/api/productions/{production}/templates", { params: { path: { production } } })),
  });
}

/** Watched folders of the shelf, and what they hold that is not here. */
export function useWatch(production: string) {
  return useQuery({
    queryKey: keys.watch(production),
    queryFn: () => must(api.GET("/api/productions/{production}/watch", { params: { path: { production } } })),
  });
}

/** Says which folders of the shelf are watched. */
export function useSetWatch(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (folders: string[]) =>
      must(api.PUT("/api/productions/{production}/watch", { params: { path: { production } }, body: { folders } })),
    onSuccess: (now) => client.setQueryData(keys.watch(production), now),
    meta: { about: "Watched folders" },
  });
}

/** Hash lists that were given, and what they make of the files. */
export function useHashLists(production: string) {
  return useQuery({
    queryKey: keys.hashLists(production),
    queryFn: () => must(api.GET("/api/productions/{production}/hash-lists", { params: { path: { production } } })),
  });
}

/** Takes files of the shelf in: by copy, or in place, where they stay and are only read. */
export function useTakeFromShelf(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (v: { paths: string[]; in_place: boolean }) =>
      must(api.POST("/api/productions/{production}/shelf", { params: { path: { production } }, body: v })),
    onSuccess: (files) => note(`${plural(files.length, "file")} on the way in.`),
    meta: { about: "Shelf" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.watch(production) }),
  });
}

/** Takes that are lined up with others. */
export function useSyncs(production: string) {
  return useRows<SyncPair>(keys.syncs(production), (after) =>
    must(
      api.GET("/api/productions/{production}/syncs", {
        params: { path: { production }, query: { after, limit: after ? 1000 : 100 } },
      }),
    ),
  );
}

export function useWritings(production: string) {
  return useQuery({
    queryKey: keys.writings(production),
    queryFn: () =>
      allPages<Schemas["Writing"]>((after) =>
        must(
          api.GET("/api/productions/{production}/writings", {
            params: { path: { production }, query: { after, limit: 500 } },
          }),
        ),
      ),
  });
}

type SheetEdit = { what: string; cells: SheetCell[] };

/**
 * Changes cells of the takes sheet. It shows them before the server has answered; what somebody else
 * has changed meanwhile is fetched and said, and nothing of the edit is kept. The edit is on its way before the sheet is
 * drawn anew.
 */
export function useEditSheet(production: string) {
  const client = useQueryClient();
  const { mutate, isPending } = useMutation({
    mutationFn: (v: SheetEdit & { sent: Promise<Take[] | undefined> }) => v.sent,
    onMutate: (v) => {
      client.setQueryData<Take[]>(keys.takes(production), (takes) => takes && applied(takes, v.cells));
    },
    onSuccess: (changed) => {
      if (!changed) return; // it waits to be sent, and is shown as it was typed
      const now = new Map(changed.map((t) => [t.id, t]));
      client.setQueryData<Take[]>(keys.takes(production), (takes) => takes?.map((t) => now.get(t.id) ?? t));
    },
    meta: { about: "Sheet" },
    onError: () => {
      client.invalidateQueries({ queryKey: keys.takes(production) });
    },
  });
  const send = useCallback(
    (body: SheetEdit) => {
      const sent = sendOrKeep(production, body);
      sent.catch(() => undefined); // the mutation says it
      underWay = Promise.allSettled([underWay, sent]);
      mutate({ ...body, sent });
    },
    [mutate, production],
  );
  return { mutate: send, isPending };
}

/** Ends when all edits of sheets that were sent have been answered: an undo before that would be of what was done earlier. */
let underWay: Promise<unknown> = Promise.resolve();

/** Sends an edit of the sheet; one that can't be sent is kept in the browser, and comes to nothing yet. */
async function sendOrKeep(production: string, body: SheetEdit): Promise<Take[] | undefined> {
  const answer = editsWait()
    ? undefined
    : await api
        .POST("/api/productions/{production}/sheet", { params: { path: { production } }, body })
        .catch(() => undefined);
  if (answer && answer.response.status < 502) return must(Promise.resolve(answer));
  keepEdit({ id: crypto.randomUUID(), what: body.what, production, body });
  return undefined;
}

/** Accepts or refuses suggestions. */
export function useDecide(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (v: { suggestions: string[]; accept: boolean }) =>
      must(api.POST("/api/productions/{production}/suggestions", { params: { path: { production } }, body: v })),
    onSettled: () => client.invalidateQueries({ queryKey: keys.takes(production) }),
    meta: { about: "Hints" },
  });
}

/** Puts a production out of the way or back, removes it, or takes that back. */
export function useProductionEnd() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ production, how }: { production: string; how: "archive" | "unarchive" | "remove" | "keep" }) => {
      const params = { path: { production } };
      switch (how) {
        case "remove":
          return must(api.DELETE("/api/productions/{production}", { params }));
        case "keep":
          return must(api.POST("/api/productions/{production}/keep", { params }));
        default:
          return must(api.PATCH("/api/productions/{production}", { params, body: { archived: how === "archive" } }));
      }
    },
    onSuccess: (p) => {
      client.invalidateQueries({ queryKey: keys.productions });
      client.invalidateQueries({ queryKey: keys.production(p.id) });
    },
    meta: { about: "Production" },
  });
}

/**
 * Edits of a production go to the server one after the other, in the order in which they were made, each on what came
 * of the one before.
 */
export const inTurn = (production: string) => ({ id: `edits ${production}` });

/**
 * Takes an edit of one's own back, or does it again: of the sheet of takes ("sheet"), or of a reel by its id; of anything where
 * neither is shown.
 */
export function useUndo(production: string) {
  const client = useQueryClient();
  return useMutation({
    scope: inTurn(production),
    mutationFn: async ({ way, of }: { way: "undo" | "redo"; of: string | undefined }) => {
      await underWay;
      const done = await must(
        api.POST(`/api/productions/{production}/${way}`, { params: { path: { production }, query: { of } } }),
      );
      return { way, ...done };
    },
    onSuccess: ({ way, what }) => {
      if (what === "") note(way === "undo" ? "There is nothing to undo." : "There is nothing to redo.");
      else note(`${way === "undo" ? "Undone" : "Done again"}: ${what}.`);
    },
    meta: { about: "Undo" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.production(production) }),
  });
}
