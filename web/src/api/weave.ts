import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { note } from "../ui/notes";
import { api, type EditAction, must, type Schemas } from "./client";

/** One change of the routing as a whole. */
export type WeaveChange = NonNullable<EditAction["weave"]>;
export type KeptTemplate = Schemas["KeptTemplate"];

const templatesKey = ["weave templates"];

/** The layouts that there are to choose from, narrowest first. */
export function useLayouts() {
  return useQuery({
    queryKey: ["layouts"],
    queryFn: () => must(api.GET("/api/layouts")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Keeps a layout of one's own under its name. */
export function useKeepLayout() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["OwnLayout"]) => must(api.PUT("/api/layouts", { body })),
    onSuccess: (l) => note(`${l.says} is kept.`),
    onSettled: () => client.invalidateQueries({ queryKey: ["layouts"] }),
    meta: { about: "Keep a layout" },
  });
}

/** Forgets one; buses that have it stay as they are. */
export function useForgetLayout() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (layout: string) => must(api.DELETE("/api/layouts/{layout}", { params: { path: { layout } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["layouts"] }),
    meta: { about: "Forget a layout" },
  });
}

/** What a layout is called for people: the name that it was kept under, or how many speakers it has. */
export function layoutSays(name: string, all: Schemas["LayoutOffered"][]): string {
  const known = all.find((l) => l.name === name)?.says;
  return known ?? (name.startsWith("custom ") ? `${name.split(" ").length - 1} speakers of its own` : name);
}

/** How one layout can enter another; the first is how it does when nobody says otherwise. */
export function useWays(from: string, to: string, law?: number) {
  return useQuery({
    queryKey: ["ways", from, to, law ?? 0],
    queryFn: () => must(api.GET("/api/ways", { params: { query: { from, to, law } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Templates of routings: those that come with the program, and those that were kept. */
export function useWeaveTemplates(enabled: boolean) {
  return useQuery({ queryKey: templatesKey, enabled, queryFn: () => must(api.GET("/api/weave-templates")) });
}

/** The names of the templates that new reels begin with: of a production, and of all that have none of their own. */
export function useBeginnings(production: string, enabled: boolean) {
  return useQuery({
    queryKey: ["beginnings", production],
    enabled,
    queryFn: () => must(api.GET("/api/beginnings", { params: { query: { production } } })),
  });
}

/** Says with which template new reels begin, of a production or (without one) of all; an empty name is none. */
export function useSetBeginning() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["BeginningChange"]) => must(api.PUT("/api/beginnings", { body })),
    onMutate: ({ template, production }) =>
      client.setQueriesData<Schemas["Beginnings"]>(
        { queryKey: production ? ["beginnings", production] : ["beginnings"] },
        (now) => now && { ...now, [production ? "production" : "house"]: template },
      ),
    onSuccess: (_, { template, production }) => {
      const whose = production ? "New reels of this production" : "New reels of all productions";
      note(template ? `${whose} begin with ${template}.` : `${whose} begin without a template.`);
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["beginnings"] }),
    meta: { about: "New reels" },
  });
}

/** What a change of a reel's routing would do, row by row. */
export function useWeavePreview(reel: string, version: number, change: WeaveChange | null) {
  return useQuery({
    queryKey: ["weave preview", reel, version, change],
    enabled: change !== null,
    retry: false,
    queryFn: () =>
      must(api.POST("/api/reels/{reel}/weave/preview", { params: { path: { reel } }, body: change as WeaveChange })),
  });
}

/** By how much each mix differs from the sum of what it is made of, over a span or the whole reel. */
export function useNulls() {
  return useMutation({
    mutationFn: ({ reel, from, to }: { reel: string; from?: number; to?: number }) =>
      must(api.GET("/api/reels/{reel}/weave/nulls", { params: { path: { reel }, query: { from, to } } })),
    meta: { about: "Null figures" },
  });
}

/** Keeps a reel's routing as a template, one from a file, or forgets one. */
export function useKeepTemplate() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (
      what:
        | { reel: string; name: string; description: string }
        | { template: Schemas["WeaveTemplate"] }
        | { forget: string },
    ) => {
      if ("forget" in what) {
        await must(api.DELETE("/api/weave-templates/{template}", { params: { path: { template: what.forget } } }));
        return "Template forgotten.";
      }
      const kept =
        "template" in what
          ? await must(api.POST("/api/weave-templates", { body: what.template }))
          : await must(
              api.POST("/api/reels/{reel}/weave/template", {
                params: { path: { reel: what.reel } },
                body: { name: what.name, description: what.description },
              }),
            );
      return `Kept as the template ${kept.template.name}.`;
    },
    onSuccess: (says) => {
      note(says);
      client.invalidateQueries({ queryKey: templatesKey });
    },
    meta: { about: "Templates" },
  });
}
