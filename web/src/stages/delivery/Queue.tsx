import { ArrowDown, ArrowUp, GripVertical } from "lucide-react";
import { type DragEvent, type KeyboardEvent, useState } from "react";
import { type Order, type OrderStep, useOrderStep, useQueue, useReorderQueue } from "../../api/delivery";
import { duration } from "../../format";
import { Button } from "../../ui/controls";
import { seals } from "./seals";
import { Thread } from "./Thread";

const packed: Record<string, string> = {
  poly: "one multichannel file",
  mono: "mono files",
  pairs: "pairs and mono files",
};

/** What a row is called, and what is said beside its name. */
function wordsOf(q: Order): [name: string, says: string] {
  switch (q.kind) {
    case "delivery":
      return [
        `${q.name}${q.test ? ", test" : `, version ${q.version}`}`,
        `${q.test ? "test" : `v${q.version}`}, ${q.says}`,
      ];
    case "writing":
      return [`take ${q.name}`, `written out, ${packed[q.says] ?? q.says}`];
    case "print":
      return [`print of ${q.name}`, `printed in place, ${q.says}`];
  }
}

/**
 * Everything that is being made, waits or is held: deliveries, takes that are written out, and prints. What waits is carried to
 * another place by the pointer, by its buttons, or by Alt with the arrows; each kind is made in turn, the kinds side by side.
 */
export function Queue({ production }: { production: string }) {
  const { data: queue } = useQueue(production);
  const reorder = useReorderQueue(production);
  const step = useOrderStep(production);
  const [carried, setCarried] = useState<string | null>(null);
  if (!queue || queue.length === 0) return null;
  const waiting = (kind: Order["kind"]) => queue.filter((q) => q.state === "waiting" && q.kind === kind);
  const place = (q: Order, to: number) => {
    const order = waiting(q.kind).map((w) => w.id);
    const from = order.indexOf(q.id);
    if (from < 0 || to < 0 || to >= order.length || from === to) return;
    order.splice(from, 1);
    order.splice(to, 0, q.id);
    reorder.mutate(order);
  };
  const act = (q: Order, what: OrderStep) => step.mutate({ id: q.id, step: what });
  const drop = (onto: Order) => {
    const q = queue.find((x) => x.id === carried);
    setCarried(null);
    if (q && q.kind === onto.kind)
      place(
        q,
        waiting(q.kind).findIndex((w) => w.id === onto.id),
      );
  };
  return (
    <section aria-label="Queue" className="border-line border-b">
      <h2 className="px-4 pt-2 text-quiet">In the queue: {counted(queue)}</h2>
      <ol aria-label="What is being made, in order" className="px-4 pb-1">
        {queue.map((q) => {
          const others = waiting(q.kind);
          const at = others.findIndex((w) => w.id === q.id);
          return (
            <Row
              key={q.id}
              item={q}
              at={at}
              of={others.length}
              carried={carried === q.id}
              onPlace={(to) => place(q, to)}
              onStep={(what) => act(q, what)}
              onCarry={() => setCarried(q.id)}
              onDrop={() => drop(q)}
            />
          );
        })}
      </ol>
    </section>
  );
}

/** How many of the queue are in which state, in words. */
function counted(queue: Order[]): string {
  const of = (state: Order["state"]) => queue.filter((q) => q.state === state).length;
  const still = of("waiting") + of("held") + of("failed");
  return (
    [
      [queue.length - still, "being made"],
      [of("waiting"), "waiting"],
      [of("held"), "held"],
      [of("failed"), "failed"],
    ] as const
  )
    .filter(([n]) => n > 0)
    .map(([n, says]) => `${n} ${says}`)
    .join(", ");
}

type RowProps = {
  item: Order;
  at: number; // among those of its kind that wait; -1 where it does not wait
  of: number;
  carried: boolean;
  onPlace: (to: number) => void;
  onStep: (what: OrderStep) => void;
  onCarry: () => void;
  onDrop: () => void;
};

function Row({ item: q, at, of, carried, onPlace, onStep, onCarry, onDrop }: RowProps) {
  const seal = seals[q.state];
  const waits = at >= 0;
  const can = (what: OrderStep) => q.steps.includes(what);
  const making = can("hold") && !waits;
  const [name, says] = wordsOf(q);
  const keys = (e: KeyboardEvent) => {
    if (!waits || !e.altKey || (e.key !== "ArrowUp" && e.key !== "ArrowDown")) return;
    e.preventDefault();
    onPlace(at + (e.key === "ArrowUp" ? -1 : 1));
  };
  const over = (e: DragEvent) => waits && e.preventDefault();
  return (
    <li
      aria-label={`${name}, ${seal.says}`}
      draggable={waits}
      onDragStart={onCarry}
      onKeyDown={keys}
      onDragOver={over}
      onDrop={onDrop}
      className={carried ? "bg-raised" : ""}
    >
      <div className="flex min-h-8 items-center gap-2">
        <span
          title={waits ? "Carry it to another place" : undefined}
          className={`flex w-32 shrink-0 items-center gap-2 whitespace-nowrap ${seal.tone} ${waits ? "cursor-grab" : ""}`}
        >
          <GripVertical size={14} aria-hidden="true" className={waits ? "text-quiet" : "invisible"} />
          <span aria-hidden="true" className={`h-4 w-5 shrink-0 ${seal.weave}`} />
          {waits && at === 0 ? "next" : seal.says}
        </span>
        <span className="min-w-0 flex-1 truncate" title={`${name}, ${q.says}`}>
          <span className="font-semibold">{q.name}</span> <span className="text-quiet">{says}</span>
        </span>
        {q.sample_rate > 0 && (
          <span className="figures shrink-0 text-quiet text-small">{duration(q.frames, q.sample_rate)}</span>
        )}
        <span className="flex shrink-0 gap-1">
          {waits && of > 1 && (
            <>
              <Button
                aria-label={`Make ${name} earlier`}
                title="Earlier (Alt ↑)"
                disabled={at === 0}
                onClick={() => onPlace(at - 1)}
              >
                <ArrowUp size={14} aria-hidden="true" />
              </Button>
              <Button
                aria-label={`Make ${name} later`}
                title="Later (Alt ↓)"
                disabled={at === of - 1}
                onClick={() => onPlace(at + 1)}
              >
                <ArrowDown size={14} aria-hidden="true" />
              </Button>
            </>
          )}
          {can("hold") && (
            <Button
              title={
                making ? "Stop it; nothing of it is left, and it begins anew when it is let go" : "Keep it waiting"
              }
              onClick={() => onStep("hold")}
            >
              Hold
            </Button>
          )}
          {can("retry") && (
            <Button onClick={() => onStep("retry")}>{q.state === "held" ? "Let it go" : "Make it again"}</Button>
          )}
          <Button disabled={!can("cancel")} onClick={() => onStep("cancel")}>
            {q.state === "failed" ? "Forget it" : "Cancel"}
          </Button>
        </span>
      </div>
      {making && (
        <Thread id={q.id} state={q.state} says={`${name}, ${seal.says}`} total={q.frames} sampleRate={q.sample_rate} />
      )}
      {q.error.message && <p className="pb-1 pl-6 text-bad">{q.error.message}.</p>}
    </li>
  );
}
