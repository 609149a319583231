import { useQuery } from "@tanstack/react-query";
import { api, must, type Schemas } from "./client";

export type Measurement = Schemas["Measurement"];
export type MeasuredBus = Schemas["MeasuredBus"];
export type LimitsName = "r128" | "r128-short" | "a85";

/**
 * What is measured of a reel's buses. The server measures a little more than a second for each question: it is asked again
 * until all is measured, and says how far it is meanwhile.
 */
export function useMeasurement(reel: string, version: number, limits: LimitsName) {
  return useQuery({
    queryKey: ["measurement", reel, version, limits],
    queryFn: () => must(api.GET("/api/reels/{reel}/measurement", { params: { path: { reel }, query: { limits } } })),
    placeholderData: (before) => before,
    refetchInterval: (q) => (q.state.data && q.state.data.done < q.state.data.total ? 50 : false),
    gcTime: 60_000,
  });
}
