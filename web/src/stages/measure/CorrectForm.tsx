import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Reel, type Schemas, whole } from "../../api/client";
import type { MeasuredBus } from "../../api/measure";
import { Button } from "../../ui/controls";
import { NumberField } from "../weave/parts";
import { BeforeAfter } from "./BeforeAfter";

type Props = {
  reel: Reel;
  bus: MeasuredBus;
  /** Carries a correction out, as one edit. */
  apply: (what: string, correction: Schemas["BusCorrection"]) => void;
};

/** Brings a bus to a loudness and holds its short-term loudness and true peaks down, by gains that are shown before they are set. */
export function CorrectForm({ reel, bus, apply }: Props) {
  // What was asked for last, or else what the limits ask for.
  const was = bus.correction?.correction;
  const from = was?.target ?? bus.limits ?? {};
  const first = <T,>(asked: T | undefined, rest: T) => ({ on: asked !== undefined, value: asked ?? rest });
  const [integrated, setIntegrated] = useState(
    was ? first(from.integrated_lufs, -23) : { on: true, value: from.integrated_lufs ?? -23 },
  );
  const [short, setShort] = useState(first(from.max_short_term_lufs, -18));
  const [peak, setPeak] = useState(first(from.max_true_peak_dbtp, -1));
  const [slope, setSlope] = useState(was?.target.slope_db_per_s ?? 2);
  const [freeLfe, setFreeLfe] = useState(was?.free_lfe ?? false);
  const [stems, setStems] = useState(was ? was.buses[0] !== was.bus : true);
  const plan = useMutation({
    mutationFn: () =>
      whole(() =>
        api.POST("/api/reels/{reel}/correction", {
          params: { path: { reel: reel.id } },
          body: {
            bus: bus.bus,
            integrated_lufs: integrated.on ? integrated.value : undefined,
            max_short_term_lufs: short.on ? short.value : undefined,
            short_term_window_s: short.on ? from.short_term_window_s || undefined : undefined,
            slope_db_per_s: short.on ? slope : undefined,
            max_true_peak_dbtp: peak.on ? peak.value : undefined,
            free_lfe: peak.on && freeLfe,
            stems: bus.role === "mix" && stems,
          },
        }),
      ),
  });
  const c = plan.data;
  const change = (fn: () => void) => {
    fn();
    plan.reset();
  };
  const row = (
    says: string,
    what: string,
    unit: string,
    to: number,
    v: { on: boolean; value: number },
    set: (v: { on: boolean; value: number }) => void,
  ) => (
    <span className="flex items-center gap-2">
      <label className="flex w-40 items-center gap-1.5">
        <input type="checkbox" checked={v.on} onChange={(e) => change(() => set({ ...v, on: e.target.checked }))} />
        {what}
      </label>
      {v.on && (
        <NumberField
          says={says}
          value={v.value}
          unit={unit}
          from={-70}
          to={to}
          save={(value) => change(() => set({ ...v, value }))}
        />
      )}
    </span>
  );
  return (
    <section aria-label={`Correct ${bus.name}`} className="flex flex-col gap-1.5 border-line border-t px-3 py-2">
      <h2>{was ? `Correct ${bus.name} anew` : `Correct ${bus.name}`}</h2>
      {row("Integrated loudness to reach", "loudness to", "LUFS", 0, integrated, setIntegrated)}
      {row("The most that short-term loudness may be", "short-term at most", "LUFS", 0, short, setShort)}
      {short.on && (
        <span className="flex items-center gap-2 pl-5 text-quiet">
          by a slow gain of up to
          <NumberField
            says="How fast the slow gain may move"
            value={slope}
            unit="dB/s"
            from={0.1}
            to={20}
            rest={2}
            save={(v) => change(() => setSlope(v))}
          />
        </span>
      )}
      {row("The ceiling of true peaks", "true peak at most", "dBTP", 0, peak, setPeak)}
      {peak.on && (bus.channels ?? []).some((ch) => ch.name === "LFE") && (
        <label className="flex items-center gap-1.5 pl-5">
          <input type="checkbox" checked={freeLfe} onChange={(e) => change(() => setFreeLfe(e.target.checked))} />
          leave the LFE alone
        </label>
      )}
      {bus.role === "mix" && (
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={stems} onChange={(e) => change(() => setStems(e.target.checked))} />
          the same gain for all its stems, so that they still add up to it
        </label>
      )}
      {plan.error && <p className="text-bad">{plan.error.message}</p>}
      {c && (
        <>
          <BeforeAfter
            before={{
              integrated: c.before.integrated_lufs,
              shortTerm: c.before.max_short_term_lufs,
              truePeak: c.before.true_peak_dbtp,
            }}
            after={{
              integrated: c.foreseen.integrated_lufs,
              shortTerm: c.foreseen.max_short_term_lufs,
              truePeak: c.foreseen.true_peak_dbtp,
            }}
          />
          <p>{c.says}.</p>
        </>
      )}
      <span className="flex gap-2">
        {c ? (
          <>
            <Button
              primary
              onClick={() => {
                apply(`correct ${bus.name}: ${c.says}`, c.correction);
                plan.reset();
              }}
            >
              Do it
            </Button>
            <Button onClick={() => plan.reset()}>Leave it</Button>
          </>
        ) : (
          <Button disabled={plan.isPending || !(integrated.on || short.on || peak.on)} onClick={() => plan.mutate()}>
            {plan.isPending ? "Working it out…" : "Show what that takes"}
          </Button>
        )}
      </span>
    </section>
  );
}
