import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { goToReel } from "../editor/current";
import { note } from "../ui/notes";
import { api, must, type Schemas } from "./client";
import { keys } from "./queries";

export type Spec = Schemas["Spec"];
export type DeliverySpec = Schemas["DeliverySpec"];
export type DeliveryOrder = Schemas["DeliveryOrder"];

const specsKey = ["specs"];

/** Delivery specifications: those that come with the program, and those that were made here. */
export function useSpecs() {
  return useQuery({
    queryKey: specsKey,
    queryFn: () => must(api.GET("/api/specs")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Keeps a specification, or forgets one. */
export function useKeepSpec() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (what: { spec: DeliverySpec } | { forget: string }) => {
      if ("forget" in what) {
        await must(api.DELETE("/api/specs/{spec}", { params: { path: { spec: what.forget } } }));
        return null;
      }
      return must(api.POST("/api/specs", { body: what.spec }));
    },
    onSuccess: (kept) =>
      note(kept ? `Kept: ${kept.spec.name}, version ${kept.spec.version}.` : "Specification forgotten."),
    meta: { about: "Specifications" },
    onSettled: () => client.invalidateQueries({ queryKey: specsKey }),
  });
}

/** Says which specification a reel is held against at every stage. */
export function useChooseSpec(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ reel, spec }: { reel: string; spec: string }) =>
      must(api.PUT("/api/reels/{reel}/spec", { params: { path: { reel } }, body: { spec } })),
    meta: { about: "Specification of the reel" },
    // It is under way until the reel says so: what is chosen counts in between.
    onSettled: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: keys.reel(production) }),
        client.invalidateQueries({ queryKey: [...keys.production(production), "facts"] }),
      ]),
  });
}

/** What an order would write, and what stands in its way. */
export function usePreflight(
  production: string,
  reel: { id: string; version: number } | undefined,
  order: DeliveryOrder | undefined,
) {
  return useQuery({
    queryKey: [...keys.reel(production), "preflight", reel?.id, reel?.version, order],
    queryFn: () =>
      must(
        api.POST("/api/reels/{reel}/preflight", {
          params: { path: { reel: reel?.id ?? "" } },
          body: order as DeliveryOrder,
        }),
      ),
    enabled: !!reel && !!order,
    placeholderData: (before) => before,
    // Loudness is measured a little with each question, where limits are asked for.
    refetchInterval: (q) => ((q.state.data?.unmeasured ?? 0) > 0 ? 50 : false),
    retry: false,
  });
}

/** Orders deliveries of a reel, one for each order. */
export function useOrder(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ reel, orders }: { reel: string; orders: DeliveryOrder[] }) => {
      for (const body of orders)
        await must(api.POST("/api/reels/{reel}/deliveries", { params: { path: { reel } }, body }));
      return orders.length;
    },
    onSuccess: () => note("Ordered. It can be left; it goes on by itself."),
    meta: { about: "Order" },
    onSettled: () => {
      client.invalidateQueries({ queryKey: keys.deliveries(production) });
      client.invalidateQueries({ queryKey: keys.queue(production) });
    },
  });
}

/** One delivery with its proof, and what is other than in the version before. */
export function useDelivery(production: string, id: string, state: string, open: boolean) {
  return useQuery({
    queryKey: [...keys.deliveries(production), id, state],
    queryFn: () => must(api.GET("/api/deliveries/{delivery}", { params: { path: { delivery: id } } })),
    enabled: open,
  });
}

/** What a channel of a delivery's file is made of, by time. */
export function useOrigins(delivery: string, index: number, channel: number) {
  return useQuery({
    queryKey: ["origins", delivery, index, channel],
    staleTime: Number.POSITIVE_INFINITY, // an order is frozen
    queryFn: () =>
      must(
        api.GET("/api/deliveries/{delivery}/files/{index}/channels/{channel}/origins", {
          params: { path: { delivery, index, channel } },
        }),
      ),
  });
}

export type Order = Schemas["Order"];
export type OrderStep = Order["steps"][number];

/** What is being made, waits or is held, in the order in which it is made. */
export function useQueue(production: string) {
  return useQuery({
    queryKey: keys.queue(production),
    queryFn: () => must(api.GET("/api/productions/{production}/queue", { params: { path: { production } } })),
  });
}

/** Takes a step with a delivery, a writing or a print: those that it says can be taken. */
export function useOrderStep(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, step }: { id: string; step: OrderStep }) =>
      must(api.POST("/api/orders/{order}/{step}", { params: { path: { order: id, step } } })),
    meta: { about: "Queue" },
    onSettled: () => {
      client.invalidateQueries({ queryKey: keys.queue(production) });
      client.invalidateQueries({ queryKey: keys.deliveries(production) });
      client.invalidateQueries({ queryKey: keys.writings(production) });
    },
  });
}

/** Has what waits made in another order. */
export function useReorderQueue(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (order: string[]) =>
      must(api.PUT("/api/productions/{production}/queue", { params: { path: { production } }, body: { order } })),
    onSuccess: (queue) => client.setQueryData(keys.queue(production), queue),
    meta: { about: "Queue" },
  });
}

/** Orders a delivery once more, as it was ordered. */
export function useDeliverAgain(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (id: string) =>
      must(api.POST("/api/deliveries/{delivery}/again", { params: { path: { delivery: id } } })),
    onSuccess: () => note("Ordered once more, as it was then: the same bytes are to come of it."),
    meta: { about: "Delivery once more" },
    onSettled: () => {
      client.invalidateQueries({ queryKey: keys.deliveries(production) });
      client.invalidateQueries({ queryKey: keys.queue(production) });
    },
  });
}

/** Takes a delivery's files back in, and goes to the reel that is made of them. */
export function useTakeBack(production: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) => {
      for (;;) {
        const back = await must(api.POST("/api/deliveries/{delivery}/reel", { params: { path: { delivery: id } } }));
        if (back.reel) return back;
        await new Promise((go) => setTimeout(go, 400));
      }
    },
    onSuccess: (back) => {
      note(`Taken back in as the reel ${back.name}.${back.says.map((s) => ` ${s}.`).join("")}`);
      goToReel(production, back.reel ?? "");
    },
    meta: { about: "Taking back" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.production(production) }),
  });
}
