import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Reel, type Schemas } from "../../api/client";
import type { MeasuredBus, Measurement } from "../../api/measure";
import { Button } from "../../ui/controls";
import { NumberField } from "../weave/parts";

type Correction = Schemas["Correction"];
type Props = {
  reel: Reel;
  measurement: Measurement;
  bus: MeasuredBus;
  /** Carries a correction out, as one edit. */
  apply: (what: string, levels: Correction["levels"]) => void;
};

const say = (v: number | null | undefined) => (v == null ? "–" : v.toFixed(1).replace("-", "−"));

/** Brings a bus to a loudness and holds its short-term loudness down, by gains that are shown before they are set. */
export function CorrectForm({ reel, measurement: m, bus, apply }: Props) {
  const [integrated, setIntegrated] = useState(m.limits.integrated_lufs ?? -23);
  const [short, setShort] = useState(m.limits.max_short_term_lufs ?? -18);
  const [holds, setHolds] = useState(m.limits.max_short_term_lufs !== undefined);
  const [stems, setStems] = useState(true);
  const plan = useMutation({
    mutationFn: () =>
      must(
        api.POST("/api/reels/{reel}/correction", {
          params: { path: { reel: reel.id } },
          body: {
            bus: bus.bus,
            integrated_lufs: integrated,
            ...(holds
              ? { max_short_term_lufs: short, short_term_window_s: m.limits.short_term_window_s || undefined }
              : {}),
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
  return (
    <section aria-label={`Correct ${bus.name}`} className="flex flex-col gap-1.5 border-line border-t px-3 py-2">
      <h2>Correct {bus.name}</h2>
      <span className="flex flex-wrap items-center gap-2">
        to
        <NumberField
          says="Integrated loudness to reach"
          value={integrated}
          unit="LUFS"
          from={-70}
          to={0}
          save={(v) => change(() => setIntegrated(v))}
        />
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={holds} onChange={(e) => change(() => setHolds(e.target.checked))} />
          short-term at most
        </label>
        <NumberField
          says="The most that short-term loudness may be"
          value={short}
          unit="LUFS"
          from={-70}
          to={0}
          save={(v) => change(() => setShort(v))}
        />
      </span>
      {bus.role === "mix" && (
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={stems} onChange={(e) => change(() => setStems(e.target.checked))} />
          the same gain for all its stems, so that they still add up to it
        </label>
      )}
      {plan.error && <p className="text-bad">{plan.error.message}</p>}
      {c && (
        <>
          <table aria-label="Before and after" className="w-full">
            <tbody>
              {(
                [
                  ["integrated", "LUFS", c.before.integrated_lufs, c.foreseen.integrated_lufs],
                  ["short-term at most", "LUFS", c.before.max_short_term_lufs, c.foreseen.max_short_term_lufs],
                  ["true peak at most", "dBTP", c.before.true_peak_dbtp, c.foreseen.true_peak_dbtp],
                ] as const
              ).map(([what, unit, before, after]) => (
                <tr key={what}>
                  <th scope="row" className="text-left font-normal text-quiet">
                    {what}
                  </th>
                  <td className="figures text-right">{say(before)}</td>
                  <td className="px-1 text-center text-quiet">→</td>
                  <td className="figures text-right">{say(after)}</td>
                  <td className="pl-1 text-quiet text-small">{unit}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p>{c.says}.</p>
        </>
      )}
      <span className="flex gap-2">
        {c ? (
          <>
            <Button
              primary
              onClick={() => {
                apply(`correct ${bus.name}: ${c.says}`, c.levels);
                plan.reset();
              }}
            >
              Do it
            </Button>
            <Button onClick={() => plan.reset()}>Leave it</Button>
          </>
        ) : (
          <Button disabled={plan.isPending} onClick={() => plan.mutate()}>
            Show what that takes
          </Button>
        )}
      </span>
    </section>
  );
}
