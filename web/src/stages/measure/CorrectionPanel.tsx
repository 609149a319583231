import type { Production, Reel, Schemas } from "../../api/client";
import type { MeasuredBus } from "../../api/measure";
import { movedTo, without } from "../../editor/curve";
import { thinned } from "../../editor/envelope";
import { point, useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { valueAt } from "../../timeline/curve";
import { timecodeIn } from "../../timeline/place";
import { Button, Key } from "../../ui/controls";
import { NumberField } from "../weave/parts";
import { BeforeAfter } from "./BeforeAfter";

type Props = {
  production: Production;
  reel: Reel;
  bus: MeasuredBus;
  /** The slow gain is drawn in its strip, to be drawn in. */
  drawn: boolean;
  setDrawn: (v: boolean) => void;
  flip: (matched: boolean) => void;
  change: (what: string, c: Schemas["WeaveChange"]) => void;
};

/** The correction of a bus: what it does where, before and after, and what can be done with it. */
export function CorrectionPanel({ production, reel, bus, drawn, setDrawn, flip, change }: Props) {
  const pointer = Math.max(
    useEditor((s) => s.pointer),
    reel.worked_out.start,
  );
  const before = useMonitor((s) => s.hearing !== null && "reel" in s.hearing.of && s.hearing.of.uncorrected === true);
  const c = bus.correction;
  // As the reel has it now: what was measured of it comes later.
  const now = reel.doc.weave.corrections?.find((k) => k.bus === bus.bus);
  if (!c || !now) return null;
  const { id = "", off, gain = [] } = now;
  const draw = (points: Schemas["Curve"], what: string) => change(what, { alter_correction: { id, gain: points } });
  const here = gain.length > 0 ? valueAt(gain, pointer) : 0;
  const there = gain.find((p) => p.at === pointer);
  return (
    <section aria-label={`Correction of ${bus.name}`} className="flex flex-col gap-1.5 border-line border-t px-3 py-2">
      <h2 className="flex items-center gap-2">
        <span className="flex-1">Corrected{off ? ", off for now" : ""}</span>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={!off}
            onChange={(e) =>
              change(
                e.target.checked ? `turn the correction of ${bus.name} on` : `turn the correction of ${bus.name} off`,
                {
                  alter_correction: { id, off: !e.target.checked },
                },
              )
            }
          />
          on
        </label>
        <Button onClick={() => change(`take the correction of ${bus.name} off`, { remove_correction: { id } })}>
          Take it off
        </Button>
      </h2>
      <p>{c.says}.</p>
      {c.stale && (
        <p role="status" className="border-caution border-l-4 pl-2 text-caution">
          The sound has changed since this was worked out. Below it can be made anew, for the sound as it is now.
        </p>
      )}
      {bus.before && (
        <>
          <BeforeAfter
            before={{
              integrated: bus.before.integrated_lufs,
              shortTerm: bus.before.short_term_lufs,
              momentary: bus.before.momentary_lufs,
              range: bus.before.range_lu,
              truePeak: bus.before.true_peak_dbtp,
            }}
            after={{
              integrated: bus.integrated_lufs,
              shortTerm: bus.short_term?.value,
              momentary: bus.momentary?.value,
              range: bus.range_lu,
              truePeak: bus.true_peak?.value,
            }}
          />
          <span className="flex flex-wrap items-center gap-2">
            <Button onClick={() => flip(false)}>
              {before ? "Hear after" : "Hear before"} <Key>B</Key>
            </Button>
            {!before && (
              <Button onClick={() => flip(true)}>
                Hear before, as loud <Key>L</Key>
              </Button>
            )}
          </span>
        </>
      )}
      <span className="flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={drawn} onChange={(e) => setDrawn(e.target.checked)} />
          draw the slow gain by hand
        </label>
        {drawn && (
          <>
            <span className="figures text-quiet">{timecodeIn(production, pointer)}</span>
            <NumberField
              says="Slow gain at the pointer"
              value={here}
              unit="dB"
              from={-60}
              to={12}
              rest={0}
              save={(v) => draw(movedTo(gain, pointer, v, reel.sample_rate), `draw the slow gain of ${bus.name}`)}
            />
            {gain.length > 3 && thinned(gain).length < gain.length && (
              <Button
                title="Leaves out the points that the curve would go through anyway, within a tenth of a dB"
                onClick={() => draw(thinned(gain), `thin the slow gain of ${bus.name}`)}
              >
                Fewer points
              </Button>
            )}
            {there && (
              <Button onClick={() => draw(without(gain, pointer), `take a point of the slow gain of ${bus.name} away`)}>
                Take the point away
              </Button>
            )}
          </>
        )}
      </span>
      {drawn && (
        <p className="text-quiet text-small">
          In the strip: drag a point, click the line for a new one, double-click a point to take it away.
        </p>
      )}
      {c.dips.length > 0 && (
        <details>
          <summary className="cursor-pointer">What it does, place by place ({c.dips.length})</summary>
          <ul aria-label="What the correction does" className="max-h-40 overflow-auto">
            {c.dips.map((d) => (
              <li key={`${d.what} ${d.from}`}>
                <button
                  type="button"
                  className="flex w-full gap-3 text-left hover:bg-raised"
                  onClick={() => point(d.from)}
                >
                  <span className="figures">{d.timecode}</span>
                  <span className="min-w-0 flex-1">{d.says}</span>
                </button>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
