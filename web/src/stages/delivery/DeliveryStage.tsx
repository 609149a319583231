import { useCallback, useState } from "react";
import { useDeliveries, useProduction } from "../../api/queries";
import { useReel } from "../../api/reel";
import { plural } from "../../format";
import { useProductionId } from "../../Shell";
import { Button, Empty, Key, StageHead } from "../../ui/controls";
import { Ledger, unfinished } from "./Ledger";
import { LinesPanel } from "./LinesPanel";
import { OrderForm } from "./OrderForm";
import { Queue } from "./Queue";

/** Orders deliveries to a specification, shows them being made, and what was proven of them. */
export function DeliveryStage() {
  const production = useProductionId();
  const { data: deliveries } = useDeliveries(production);
  const { data: facts } = useProduction(production);
  const { data: reel } = useReel(production);
  const [outside, setOutside] = useState(false);
  const look = useCallback(() => setOutside(true), []);
  const ended = deliveries?.filter((d) => !unfinished(d)) ?? [];
  const of = (...states: string[]) => deliveries?.filter((d) => states.includes(d.state)).length ?? 0;
  const says = [
    deliveries ? plural(deliveries.length, "delivery", "deliveries") : "",
    of("proven") ? `${of("proven")} proven` : "",
    deliveries && deliveries.length > ended.length ? `${deliveries.length - ended.length} being made` : "",
    of("failed") ? `${of("failed")} failed` : "",
  ];
  return (
    <>
      <StageHead title="Delivery" says={says.filter(Boolean).join(", ")}>
        <Button onClick={look}>
          Network and deck… <Key>L</Key>
        </Button>
      </StageHead>
      {facts && reel && (
        <LinesPanel
          key={reel.id}
          open={outside}
          onClose={() => setOutside(false)}
          production={{ ...facts, rate: reel.worked_out.rate }}
          reel={reel}
        />
      )}
      <div className="flex min-h-0 flex-1">
        <OrderForm production={production} onOutside={look} />
        <div className="min-w-0 flex-1 overflow-auto">
          <Queue production={production} />
          <section aria-label="Deliveries" className={deliveries?.length === 0 ? "h-full" : ""}>
            {deliveries?.length === 0 ? (
              <Empty title="Nothing has been ordered yet">
                What is ordered on the left is made here, read back and proven. A test of a short range takes seconds.
              </Empty>
            ) : (
              <Ledger production={production} deliveries={ended} />
            )}
          </section>
        </div>
      </div>
    </>
  );
}
