import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useDeferredValue, useMemo, useState } from "react";
import { api, must, type Schemas } from "../../api/client";
import { failed, keys, useDeliveries, useSpecs } from "../../api/queries";
import { useReel } from "../../api/reel";
import { count, duration, plural } from "../../format";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Empty, Key, StageHead, TextField } from "../../ui/controls";
import { note } from "../../ui/notes";
import { DeliveryCard } from "./DeliveryCard";

type Packing = Schemas["DeliveryOrder"]["packing"];
const packings: Record<Packing, string> = { poly: "one file with all outputs", mono: "one mono file an output" };

/** Orders stem masters, shows them being made, and their proofs. */
export function DeliveryStage() {
  const production = useProductionId();
  const { data: deliveries } = useDeliveries(production);
  const proven = deliveries?.filter((d) => d.state === "proven").length ?? 0;
  return (
    <>
      <StageHead
        title="Delivery"
        says={deliveries ? `${plural(deliveries.length, "delivery", "deliveries")}, ${proven} proven` : ""}
      />
      <div className="flex min-h-0 flex-1">
        <OrderForm production={production} />
        <section aria-label="Deliveries" className="min-w-0 flex-1 overflow-auto p-4">
          {deliveries?.length === 0 ? (
            <Empty title="Nothing has been ordered yet">
              What is ordered on the left is made here, read back and proven.
            </Empty>
          ) : (
            <ul className="flex flex-col gap-3">
              {deliveries?.map((d) => (
                <li key={d.id}>
                  <DeliveryCard delivery={d} production={production} />
                </li>
              ))}
            </ul>
          )}
        </section>
      </div>
    </>
  );
}

function OrderForm({ production }: { production: string }) {
  const client = useQueryClient();
  const { data: reel } = useReel(production);
  const { data: specs } = useSpecs();
  const [specId, setSpec] = useState("");
  const [packing, setPacking] = useState<Packing>("poly");
  const [typed, setPattern] = useState<string | null>(null);
  const spec = specs?.find((s) => s.id === specId) ?? specs?.[0];
  const pattern = typed ?? spec?.pattern ?? "";
  const asked = useDeferredValue(pattern);
  const body = spec && { spec: spec.id, packing, pattern: asked };
  const preflight = useQuery({
    queryKey: [...keys.reel(production), "preflight", reel?.version, body],
    queryFn: () =>
      must(
        api.POST("/api/reels/{reel}/preflight", { params: { path: { reel: reel?.id ?? "" } }, body: body ?? never() }),
      ),
    enabled: !!reel && !!body,
    placeholderData: (before) => before,
    retry: false,
  });
  const order = useMutation({
    mutationFn: () =>
      must(
        api.POST("/api/reels/{reel}/deliveries", { params: { path: { reel: reel?.id ?? "" } }, body: body ?? never() }),
      ),
    onSuccess: () => note("Ordered. It can be left; it goes on by itself."),
    onError: failed,
    onSettled: () => client.invalidateQueries({ queryKey: keys.deliveries(production) }),
  });
  const plan = preflight.data;
  const snags = plan?.findings.filter((f) => !f.on_purpose) ?? [];
  const off = plan?.findings.filter((f) => f.on_purpose) ?? [];
  const can = !!plan && !plan.stops && !preflight.error && !order.isPending;
  const { mutate } = order;
  const list = useMemo<Command[]>(
    () => [{ id: "order", name: "Order this delivery", key: "Enter", run: () => can && mutate() }],
    [can, mutate],
  );
  useCommandList("Delivery", list);
  if (!spec || !reel) return <div className="w-[460px] shrink-0 border-line border-r" />;

  return (
    <form
      aria-label="Order"
      className="flex w-[460px] shrink-0 flex-col gap-3 overflow-auto border-line border-r p-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (can) order.mutate();
      }}
    >
      <label className="flex flex-col gap-1 text-quiet">
        Spec
        <Choice value={spec.id} onChange={(e) => setSpec(e.target.value)}>
          {specs?.map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
            </option>
          ))}
        </Choice>
      </label>
      <p className="text-quiet">{spec.description}</p>
      <fieldset className="flex gap-5">
        <legend className="mb-1 text-quiet">Files</legend>
        {spec.packings.map((p) => (
          <label key={p} className="flex items-center gap-2">
            <input
              type="radio"
              name="packing"
              checked={packing === p}
              onChange={() => setPacking(p)}
              className="accent-focus"
            />
            {packings[p]}
          </label>
        ))}
      </fieldset>
      <label className="flex flex-col gap-1 text-quiet">
        File names
        <TextField
          value={pattern}
          onChange={(e) => setPattern(e.target.value)}
          spellCheck={false}
          className="figures"
        />
      </label>
      <p className="text-quiet text-small">{"{production} {episode} {reel} {spec} {number} {output}"}</p>
      {preflight.error ? (
        <p role="alert" className="text-bad">
          {preflight.error.message}
        </p>
      ) : (
        plan && (
          <>
            <section aria-label="What will be written">
              <h2 className="mb-1 text-quiet">What will be written</h2>
              <p className="figures mb-2">
                {plural(plan.files.length, "file")} from {plan.start_timecode},{" "}
                {duration(plan.frames, spec.sample_rate)} ({count(plan.frames)} frames), {spec.coding},{" "}
                {spec.sample_rate / 1000} kHz
              </p>
              <table className="w-full" aria-label="Files and channels">
                <tbody>
                  {plan.files.map((f) => (
                    <tr key={f.name} className="border-line border-t align-top">
                      <td className="break-words py-1 pr-2">{f.name}</td>
                      <td className="figures w-28 py-1 text-quiet text-small">
                        {f.channels.map((c, i) => (
                          <div key={c}>
                            {i + 1} {c}
                          </div>
                        ))}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </section>
            <section aria-label="Snags before the order">
              <h2 className="mb-1 text-quiet">
                {snags.length === 0 ? "Nothing stands in the way." : plural(snags.length, "snag")}
              </h2>
              <ul>
                {snags.map((f) => (
                  <li
                    key={f.code + f.message}
                    className={`border-l-4 py-0.5 pl-2 ${f.stops ? "border-bad" : "border-caution"}`}
                  >
                    {f.stops && <strong className="text-bad">Stops the delivery: </strong>}
                    {f.message}.{" "}
                    {f.stage !== "delivery" && (
                      <Link to={`/$production/${f.stage}`} params={{ production }} className="text-focus underline">
                        Mend it in {f.stage === "reel" ? "Reel" : "Weave"}
                      </Link>
                    )}
                  </li>
                ))}
              </ul>
            </section>
            {off.length > 0 && (
              <section aria-label="Left off on purpose" className="text-quiet">
                <h2 className="mb-1">Left off on purpose</h2>
                <p>
                  {off.map((f) => reel.doc.tracks.find((t) => t.id === f.track)?.label ?? f.message).join(", ")}: not
                  heard, because somebody has said so.{" "}
                  <Link to="/$production/reel" params={{ production }} className="text-focus underline">
                    See them in Reel
                  </Link>
                </p>
              </section>
            )}
          </>
        )
      )}
      <Button primary type="submit" disabled={!can} className="sticky bottom-0 h-9 shrink-0 justify-center">
        Order {plan ? `${spec.outputs.length} channels` : "it"} <Key>Enter</Key>
      </Button>
    </form>
  );
}

function never(): never {
  throw new Error("asked before it was known what for");
}
