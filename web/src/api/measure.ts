import { useQuery } from "@tanstack/react-query";
import { api, must, type Schemas } from "./client";

export type Measurement = Schemas["Measurement"];
export type MeasuredBus = Schemas["MeasuredBus"];
export type LimitsName = NonNullable<Schemas["LimitsName"]>;
export type Limits = Schemas["LoudnessLimits"];

/** Which limits are asked for: by a name, or one's own. */
export type Asked = { limits: LimitsName; own?: string };

const more = (q: { state: { data?: Measurement } }) =>
  q.state.data && q.state.data.done < q.state.data.total ? 50 : false;

/**
 * What is measured of a reel. The server measures a little more than a second for each question: it is asked again until
 * all is measured, and says how far it is meanwhile.
 */
export function useMeasurement(reel: string, version: number, asked: Asked) {
  return useQuery({
    queryKey: ["measurement", reel, version, asked],
    queryFn: () => must(api.GET("/api/reels/{reel}/measurement", { params: { path: { reel }, query: asked } })),
    placeholderData: (before) => before,
    refetchInterval: more,
    gcTime: 60_000,
  });
}

/** What is measured of a take by itself, once somebody asks. */
export function useTakeMeasurement(take: string, version: string, wanted: boolean) {
  return useQuery({
    queryKey: ["measurement", "take", take, version],
    queryFn: () => must(api.GET("/api/takes/{take}/measurement", { params: { path: { take }, query: {} } })),
    enabled: wanted,
    refetchInterval: more,
    gcTime: 60_000,
  });
}

/** The address of a measurement in a form to be kept: json, csv or pdf. */
export const measurementAddress = (reel: string, form: "" | ".csv" | ".pdf", asked: Asked) =>
  `/api/reels/${reel}/measurement${form}?${new URLSearchParams(asked)}`;
