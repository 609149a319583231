import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../api/client";
import { keys, useUndo } from "../api/queries";
import { Button } from "./controls";
import { Panel } from "./Panel";

type Props = {
  production: string /** See useUndo. */;
  of: string | undefined;
  open: boolean;
  onOpenChange: (open: boolean) => void;
};

/** What was done, the last first. One's own can be taken back up to any place, and done again. */
export function History({ production, of, open, onOpenChange }: Props) {
  const { data } = useQuery({
    queryKey: [...keys.production(production), "edits", of],
    queryFn: () =>
      must(api.GET("/api/productions/{production}/edits", { params: { path: { production }, query: { of } } })),
    enabled: open,
  });
  const { mutateAsync: step } = useUndo(production);
  const [busy, setBusy] = useState(false);
  const mine = (data ?? []).filter((e) => e.mine);
  const done = mine.filter((e) => !e.undone);
  const undone = mine.filter((e) => e.undone).reverse(); // the next to be done again first
  const times = async (n: number, way: "undo" | "redo") => {
    setBusy(true);
    try {
      for (let i = 0; i < n; i++) await step({ way, of });
    } catch {
      // What stands in the way has been said; what was taken back so far stays so.
    } finally {
      setBusy(false);
    }
  };
  return (
    <Panel
      open={open}
      onOpenChange={onOpenChange}
      title="What was done"
      className="flex max-h-[80vh] w-[560px] flex-col"
    >
      <p className="px-4 pb-2 text-quiet">
        Here: {of === "sheet" ? "in Takes and Sync" : "in this reel"}. Yours can be taken back up to any of them. What
        others did stays.
      </p>
      <ol aria-label="Edits" className="min-h-0 flex-1 overflow-auto">
        {data?.map((e) => {
          const back = done.findIndex((o) => o.id === e.id);
          const forth = undone.findIndex((o) => o.id === e.id);
          return (
            <li key={e.id} className="flex h-8 items-center gap-3 border-line border-t px-4">
              <time className="figures w-16 shrink-0 text-quiet text-small" dateTime={e.at}>
                {new Date(e.at).toLocaleTimeString(undefined, {
                  hour: "2-digit",
                  minute: "2-digit",
                  second: "2-digit",
                })}
              </time>
              <span className={`min-w-0 flex-1 truncate ${e.undone ? "text-quiet italic" : ""}`} title={e.what}>
                {e.what}
                {e.undone && <span className="text-small"> (undone)</span>}
              </span>
              {!e.mine && <span className="text-quiet text-small">somebody else</span>}
              {back >= 0 && (
                <Button
                  disabled={busy}
                  aria-label={`Undo back to before: ${e.what}`}
                  onClick={() => times(back + 1, "undo")}
                >
                  {back === 0 ? "Undo" : `Undo ${back + 1}`}
                </Button>
              )}
              {forth >= 0 && (
                <Button
                  disabled={busy}
                  aria-label={`Do again up to: ${e.what}`}
                  onClick={() => times(forth + 1, "redo")}
                >
                  {forth === 0 ? "Redo" : `Redo ${forth + 1}`}
                </Button>
              )}
            </li>
          );
        })}
        {data?.length === 0 && <li className="px-4 py-2 text-quiet">Nothing has been done yet.</li>}
      </ol>
    </Panel>
  );
}
