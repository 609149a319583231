import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, type Schemas } from "../api/client";

const calm = 15_000; // ms between looks at a server that is well
const anxious = 1_000; // and at one that is not

/** What keeps the server from working, a sentence each; empty when all is well. */
async function troubles(): Promise<string[]> {
  try {
    const got = await api.GET("/readyz");
    const health = (got.data ?? got.error) as Schemas["Health"] | undefined;
    if (health?.parts) return [...new Set(Object.values(health.parts).filter((says) => says !== "ok"))];
    return [`the server answers ${got.response.status}`];
  } catch {
    return ["the server does not answer"];
  }
}

/**
 * Says what is the matter with the server for as long as something is, and has everything fetched anew once it is over.
 * Nothing that is typed or seen is lost meanwhile.
 */
export function Condition() {
  const client = useQueryClient();
  const { data: says = [] } = useQuery({
    queryKey: ["condition"],
    queryFn: troubles,
    refetchInterval: (q) => ((q.state.data?.length ?? 0) > 0 ? anxious : calm),
    staleTime: 0,
  });
  // A question that failed for want of a server is a reason to look at once.
  useEffect(
    () =>
      client.getQueryCache().subscribe((e) => {
        const failed = e.type === "updated" && e.action.type === "error" && e.query.queryKey[0] !== "condition";
        if (failed) void client.invalidateQueries({ queryKey: ["condition"] });
      }),
    [client],
  );
  const wasIll = useRef(false);
  const ill = says.length > 0;
  useEffect(() => {
    if (wasIll.current && !ill) void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "condition" });
    wasIll.current = ill;
  }, [client, ill]);
  if (!ill) return null;
  const words = says.join("; ");
  return (
    <p role="alert" className="shrink-0 bg-caution px-4 py-1 text-on-focus">
      {words.charAt(0).toUpperCase() + words.slice(1)}. Nothing is lost; this page goes on by itself.
    </p>
  );
}
