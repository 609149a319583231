import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, must, type Schemas } from "./client";

export type Lines = Schemas["Lines"];
export type Layback = Schemas["Layback"];

const linesKey = (reel: string) => ["lines", reel] as const;
const laybacksKey = (reel: string) => ["lines", reel, "laybacks"] as const;

/** ms between looks at what plays in real time. */
const looks = { playing: 250, silent: 2000 };

/** What is on the outputs over the network, and whether a deck answers; looked at again and again while it is shown. */
export function useLines(reel: string, shown: boolean) {
  return useQuery({
    queryKey: linesKey(reel),
    queryFn: () => must(api.GET("/api/reels/{reel}/lines", { params: { path: { reel } } })),
    enabled: shown,
    refetchInterval: (q) => (q.state.data?.playing ? looks.playing : looks.silent),
  });
}

/** The newest laybacks of a reel. */
export function useLaybacks(reel: string, shown: boolean) {
  return useQuery({
    queryKey: laybacksKey(reel),
    queryFn: () => must(api.GET("/api/reels/{reel}/laybacks", { params: { path: { reel } } })),
    enabled: shown,
    refetchInterval: (q) => (q.state.data?.some(underWay) ? looks.playing : false),
  });
}

/** Whether a layback is being played or compared. */
export const underWay = (l: Layback) => l.state === "playing" || l.state === "comparing";

/** What is done with the outputs over the network. */
export type LinesStep =
  | { play: number }
  | { stop: true }
  | { layBack: { from: number; to: number; outputs?: number[] } }
  | { stopLayback: string };

export function useLinesStep(reel: string) {
  const client = useQueryClient();
  const params = { path: { reel } };
  return useMutation({
    mutationFn: async (step: LinesStep): Promise<unknown> => {
      if ("play" in step) return must(api.POST("/api/reels/{reel}/lines", { params, body: { from: step.play } }));
      if ("layBack" in step) return must(api.POST("/api/reels/{reel}/laybacks", { params, body: step.layBack }));
      if ("stopLayback" in step)
        return must(api.POST("/api/laybacks/{layback}/stop", { params: { path: { layback: step.stopLayback } } }));
      return must(api.DELETE("/api/reels/{reel}/lines", { params }));
    },
    meta: { about: "Lines" },
    onSettled: () => client.invalidateQueries({ queryKey: linesKey(reel) }),
  });
}
