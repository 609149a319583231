import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import type { Delivery } from "../../api/client";
import { useOrderStep } from "../../api/delivery";
import { duration, plural } from "../../format";
import { Button } from "../../ui/controls";
import { DispatchNote } from "./DispatchNote";
import { seals } from "./seals";

/** Whether a delivery is in the queue still, and not in the ledger: it can be cancelled, and has not failed. */
export const unfinished = (d: Delivery) => d.steps.includes("cancel") && !d.finished_at;

/** Deliveries that have ended, as in a ledger: newest first, a row each until it is opened. */
export function Ledger({ production, deliveries }: { production: string; deliveries: Delivery[] }) {
  const [open, setOpen] = useState<string | null>(null);
  const newest = deliveries[0];
  const shown = open ?? (newest && newest.state !== "cancelled" ? newest.id : "");
  return (
    <ul className="flex flex-col">
      {deliveries.map((d) => (
        <li key={d.id}>
          <Row
            delivery={d}
            production={production}
            open={d.id === shown}
            onOpen={() => setOpen(d.id === shown ? "" : d.id)}
          />
        </li>
      ))}
    </ul>
  );
}

function Row({
  delivery: d,
  production,
  open,
  onOpen,
}: {
  delivery: Delivery;
  production: string;
  open: boolean;
  onOpen: () => void;
}) {
  const step = useOrderStep(production);
  const seal = d.damaged ? { says: "changed", tone: "text-bad", weave: "weave-zigzag" } : seals[d.state];
  const when = new Date(d.ordered_at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  const short = new Date(d.ordered_at).toLocaleString(undefined, {
    month: "short",
    day: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    hour12: false,
  });
  const name = `${d.spec_name}${d.test ? ", test" : `, version ${d.version}`}`;
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <article aria-label={`Delivery ${name}, ordered ${when}`} className="border-line border-b px-4 py-1.5">
      <header className="flex min-h-8 items-center gap-3">
        <button
          type="button"
          aria-expanded={open}
          aria-label={`${open ? "Close" : "Open"} ${name}`}
          onClick={onOpen}
          className="flex min-w-0 flex-1 items-center gap-2 text-left"
        >
          <Chevron size={14} aria-hidden="true" className="shrink-0 text-quiet" />
          <span className={`flex w-28 shrink-0 items-center gap-2 ${seal.tone}`} data-state={d.state}>
            <span aria-hidden="true" className={`h-4 w-5 shrink-0 ${seal.weave}`} />
            {seal.says}
          </span>
          <span className="min-w-0 flex-1 truncate" title={`${d.spec_name}, ${d.reel_name}`}>
            <span className="font-semibold">{d.spec_name}</span>{" "}
            <span className="text-quiet">
              {d.test ? "test" : `v${d.version}`}
              {d.cut_down && ", cut-down"}, {d.reel_name}
            </span>
          </span>
          <span className="figures shrink-0 text-quiet text-small">
            {plural(d.files.length, "file")}, {duration(d.frames, d.sample_rate)}
          </span>
          <time
            dateTime={d.ordered_at}
            className="figures w-24 shrink-0 whitespace-nowrap text-right text-quiet text-small"
          >
            {short}
          </time>
        </button>
        <span className="flex shrink-0 gap-1">
          {d.steps.includes("retry") && (
            <Button onClick={() => step.mutate({ id: d.id, step: "retry" })}>Make it again</Button>
          )}
          {d.steps.includes("cancel") && (
            <Button
              className="ml-3"
              title="It counts as a snag no longer; it can be made again all the same"
              onClick={() => step.mutate({ id: d.id, step: "cancel" })}
            >
              Forget it
            </Button>
          )}
        </span>
      </header>
      {d.error.message && !(open && d.failures.length > 0) && <p className="py-1 pl-6 text-bad">{d.error.message}.</p>}
      {open && <DispatchNote delivery={d} production={production} />}
    </article>
  );
}
