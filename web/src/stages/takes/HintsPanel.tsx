import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, must, type Schemas } from "../../api/client";
import { useDecide } from "../../api/queries";
import { plural } from "../../format";
import { Button, Key } from "../../ui/controls";
import { note } from "../../ui/notes";
import { Panel } from "../../ui/Panel";

type Row = Schemas["HintRow"];

const fields: Record<Row["field"], string> = {
  label: "label",
  off: "left off",
  invert: "polarity turned",
  delay: "delay",
  readings: "read as",
};

const shown = (v: string) => ({ true: "yes", false: "no", "": "nothing" })[v] ?? v;

type Props = { open: boolean; onClose: () => void; production: string; hints: string[] };

/** Shows row by row what accepting hints would change, and what stays as a person has typed it, before it is done. */
export function HintsPanel({ open, onClose, production, hints }: Props) {
  const { mutate: decide, isPending } = useDecide(production);
  const { data: rows } = useQuery({
    queryKey: ["hints", production, hints],
    queryFn: () =>
      must(
        api.POST("/api/productions/{production}/suggestions", {
          params: { path: { production } },
          body: { suggestions: hints, accept: true, preview: true },
        }),
      ),
    enabled: open && hints.length > 0,
    gcTime: 0,
  });
  // Enter accepts, once what it would do is there to be read.
  const go = useRef<HTMLButtonElement>(null);
  const ready = rows !== undefined;
  useEffect(() => {
    if (ready) go.current?.focus();
  }, [ready]);
  const changes = (rows ?? []).filter((r) => !r.kept);
  const kept = (rows ?? []).filter((r) => r.kept);
  const accept = () =>
    decide(
      { suggestions: hints, accept: true },
      {
        onSuccess: (done) => {
          const n = done.filter((r) => !r.kept).length;
          const stayed = done.length - n;
          note(
            `${plural(n, "thing")} changed in ${plural(new Set(done.filter((r) => !r.kept).map((r) => r.take_id)).size, "take")}${stayed > 0 ? `; ${plural(stayed, "thing")} left as somebody has typed them` : ""}. Ctrl Z takes all of it back.`,
          );
          onClose();
        },
      },
    );
  return (
    <Panel
      open={open && hints.length > 0}
      onOpenChange={(o) => !o && onClose()}
      title={`What ${plural(hints.length, "hint")} would change`}
      className="flex w-[760px] flex-col"
    >
      <div className="max-h-[50vh] min-h-16 overflow-auto px-4">
        <table className="w-full" aria-label="Changes">
          <thead className="text-left text-quiet text-small">
            <tr>
              <th className="w-40 font-normal">Take</th>
              <th className="w-16 font-normal">Strand</th>
              <th className="w-28 font-normal">What</th>
              <th className="font-normal">Now</th>
              <th className="font-normal">Then</th>
            </tr>
          </thead>
          <tbody>
            {[...changes, ...kept].map((r) => (
              <tr
                key={`${r.take_id} ${r.position} ${r.field} ${r.now}`}
                className={`h-7 border-line border-t ${r.kept ? "text-quiet" : ""}`}
              >
                <td className="max-w-40 truncate" title={r.take}>
                  {r.take}
                </td>
                <td className="figures">{r.position}</td>
                <td>{fields[r.field]}</td>
                <td>{shown(r.was)}</td>
                <td>{r.kept ? `stays: ${r.kept}` : shown(r.now)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {rows?.length === 0 && <p className="py-3">All of it is so already.</p>}
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-4">
        <span className="flex-1 text-quiet">
          {rows &&
            `${plural(changes.length, "change")}${kept.length > 0 ? `, ${kept.length} left as somebody has typed them` : ""}`}
        </span>
        <Button onClick={onClose}>Cancel</Button>
        <button
          type="button"
          ref={go}
          disabled={isPending || !rows}
          className="inline-flex h-7 items-center gap-2 bg-focus px-2.5 font-semibold text-on-focus disabled:opacity-60"
          onClick={accept}
        >
          Accept <Key>Enter</Key>
        </button>
      </footer>
    </Panel>
  );
}
