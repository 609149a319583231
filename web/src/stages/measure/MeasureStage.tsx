import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Production, Reel } from "../../api/client";
import { useSpecs } from "../../api/delivery";
import { type LimitsName, type Measurement, measurementAddress, useMeasurement } from "../../api/measure";
import { useProduction } from "../../api/queries";
import { useReel } from "../../api/reel";
import { plural } from "../../format";
import { useProductionId } from "../../Shell";
import { useCounted } from "../../timeline/place";
import { Empty, Progress, StageHead } from "../../ui/controls";
import { ReelChoice } from "../ReelChoice";
import { useGoOn } from "../reel/hearing";
import { keepPicture } from "./keepPicture";
import { askedFor, LimitsChoice, OwnLimits, useOwnLimits } from "./limits";
import { Measured } from "./Measured";

/** Loudness and peaks of the reel's buses against limits, and where they are not kept. */
export function MeasureStage() {
  const id = useProductionId();
  const { data: production } = useProduction(id);
  const { data: reel } = useReel(id);
  if (!production || !reel) return null;
  return <Measure key={reel.id} production={production} reel={reel} />;
}

function Measure({ production: whole, reel }: { production: Production; reel: Reel }) {
  const production = useCounted(whole, reel);
  const { data: specs } = useSpecs();
  const own = useOwnLimits((s) => s.own);
  // The limits are those of the specification that the reel is held against, where it asks for some, unless others are looked at.
  const held = specs?.find((s) => s.id === reel.spec);
  const asks = held?.spec.limits?.some(
    (l) =>
      l.of === "all" ||
      reel.doc.weave.buses.some((b) => l.of === b.name || l.of === (b.role === "mix" ? "mixes" : "stems")),
  );
  const spec = asks ? held?.spec.name : undefined;
  const [chosen, setLimits] = useState<LimitsName>();
  const limits = chosen ?? (spec === undefined ? "r128-short" : "spec");
  const asked = askedFor(limits, own);
  const { data: m, error } = useMeasurement(reel.id, reel.version, asked);
  useGoOn(reel);
  const done = m !== undefined && m.done === m.total;
  // What was measured last stays while what has changed is measured anew.
  const [last, setLast] = useState<Measurement>();
  if (done && m !== last) setLast(m);
  const shown = done ? m : last;
  const link = (says: string, form: "" | ".csv" | ".pdf", extension: string) => (
    <a
      className="text-focus underline"
      href={measurementAddress(reel.id, form, asked)}
      download={`${reel.name} loudness.${extension}`}
    >
      {says}
    </a>
  );
  return (
    <>
      <StageHead title="Measure" says={`against ${m?.asked ?? "limits"}${m && done ? `: ${verdictInWords(m)}` : ""}`}>
        <ReelChoice production={production.id} reel={reel} />
        {done && (
          <>
            {link("PDF", ".pdf", "pdf")}
            {link("CSV", ".csv", "csv")}
            {link("JSON", "", "json")}
            <button
              type="button"
              className="text-focus underline"
              onClick={() =>
                keepPicture(`${reel.name} loudness.png`, `${production.name}, ${reel.name} against ${m.asked}`, m)
              }
            >
              PNG
            </button>
          </>
        )}
        <span className="text-quiet">Limits</span>
        <LimitsChoice value={limits} spec={spec} onChange={setLimits} />
      </StageHead>
      {limits === "own" && <OwnLimits />}
      {error ? (
        <Empty title="The reel can't be measured">
          <p>{error.message}</p>
        </Empty>
      ) : !m ? (
        <p className="p-4 text-quiet">Measuring…</p>
      ) : !shown ? (
        <div className="max-w-xl p-4">
          <Progress
            done={m.done}
            total={m.total}
            label="Measuring"
            say={`${m.done} of ${m.total} stretches of ten seconds measured; what is measured is kept.`}
          />
        </div>
      ) : shown.buses.every((b) => b.integrated_lufs == null) ? (
        <Empty title="There is nothing to measure yet">
          <p>Loudness appears here once tracks of the reel are sent to a stem.</p>
          <Link to="/$production/weave" params={{ production: production.id }} className="text-focus underline">
            Go to Weave
          </Link>
        </Empty>
      ) : (
        <Measured
          production={production}
          reel={reel}
          m={shown}
          measuring={done ? "" : `measuring: ${m.done} of ${m.total}`}
        />
      )}
    </>
  );
}

/** How many of those that limits are asked of keep them. */
function verdictInWords(m: Measurement): string {
  const counted = m.buses.filter((b) => b.limits && b.integrated_lufs != null);
  if (counted.length === 0) return "nothing is asked of what sounds";
  const mixes = counted.every((b) => b.role === "mix");
  const kept = counted.filter((b) => b.verdicts.every((v) => v.pass)).length;
  return `${kept} of ${plural(counted.length, mixes ? "mix" : "bus", mixes ? "mixes" : "buses")} kept`;
}
