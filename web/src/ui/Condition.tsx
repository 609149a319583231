import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, type Schemas } from "../api/client";
import { dropEdits, sendWaiting, useOutbox } from "../api/outbox";

const calm = 15_000; // ms between looks at a server that is well
const anxious = 1_000; // and at one that is not

/** What keeps the server from working, a sentence each; empty when all is well. */
async function troubles(): Promise<string[]> {
  try {
    const got = await api.GET("/readyz");
    const health = (got.data ?? got.error) as Schemas["Health"] | undefined;
    if (health?.parts) {
      // What is lost is said at Intake and in Delivery: it keeps the server from nothing.
      const parts = Object.entries(health.parts).filter(([part, says]) => part !== "originals" && says !== "ok");
      return [...new Set(parts.map(([, says]) => says))];
    }
    return [`the server answers ${got.response.status}`];
  } catch {
    return ["the server does not answer"];
  }
}

/**
 * Says what is the matter with the server for as long as something is, and has everything fetched anew once it is over.
 * Edits that could not be sent are named as not kept yet, and are sent then.
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
  // What could not be sent is sent as soon as the server is well.
  const waiting = useOutbox((s) => s.waiting);
  const any = waiting.length > 0;
  useEffect(() => {
    if (!any) return;
    const go = () => void sendWaiting(client);
    const timer = setInterval(go, anxious);
    window.addEventListener("online", go);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", go);
    };
  }, [client, any]);
  if (!ill && !any) return null;
  const words = ill ? says.join("; ") : "edits are being sent";
  return (
    <div role="alert" className="flex shrink-0 items-center gap-3 bg-caution px-4 py-1 text-on-focus">
      <p className="min-w-0 flex-1">
        {words.charAt(0).toUpperCase() + words.slice(1)}.{" "}
        {any ? (
          <>
            <strong>Not kept yet:</strong>{" "}
            {waiting
              .map((w) => w.what)
              .slice(-3)
              .reverse()
              .join("; ")}
            {waiting.length > 3 && ` and ${waiting.length - 3} more`}. {waiting.length === 1 ? "It lies" : "They lie"}{" "}
            in this browser, and {waiting.length === 1 ? "is" : "are"} sent when the server answers.
          </>
        ) : (
          "What is done now is kept in this browser, and sent then; this page goes on by itself."
        )}
      </p>
      {any && (
        <button
          type="button"
          className="shrink-0 underline"
          onClick={() => {
            dropEdits();
            void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "condition" });
          }}
        >
          Throw {waiting.length === 1 ? "it" : "them"} away
        </button>
      )}
    </div>
  );
}
