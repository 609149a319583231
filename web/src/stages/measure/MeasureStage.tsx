import { Link } from "@tanstack/react-router";
import { useCallback, useMemo, useState } from "react";
import type { Production, Reel } from "../../api/client";
import { useSpecs } from "../../api/delivery";
import { type LimitsName, type MeasuredBus, type Measurement, useMeasurement } from "../../api/measure";
import { useProduction } from "../../api/queries";
import { useEditReel, useReel } from "../../api/reel";
import { point, useEditor } from "../../editor/store";
import { plural } from "../../format";
import { stop, useMonitor } from "../../listening/engine";
import { useProductionId } from "../../Shell";
import { timecodeIn } from "../../timeline/place";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Empty, Key, Progress, StageHead } from "../../ui/controls";
import { playOrStop, useGoOn } from "../reel/hearing";
import { CorrectForm } from "./CorrectForm";
import { LoudnessStrip, type Tenths } from "./LoudnessStrip";
import { ReadingsTable } from "./ReadingsTable";
import { Verdicts } from "./Verdicts";

const limitNames: Record<LimitsName, string> = {
  r128: "EBU R 128",
  "r128-short": "EBU R 128, short form",
  a85: "ATSC A/85",
};

/** Loudness and peaks of the reel's buses against limits, and where they are not kept. */
export function MeasureStage() {
  const id = useProductionId();
  const { data: production } = useProduction(id);
  const { data: reel } = useReel(id);
  if (!production || !reel) return null;
  return <Measure production={production} reel={reel} />;
}

const order = { mix: 0, stem: 1, part: 2 };

function Measure({ production, reel }: { production: Production; reel: Reel }) {
  const { data: specs } = useSpecs();
  // The limits are those of the specification that the reel is held against, unless others are looked at.
  const asked = specs?.find((s) => s.id === reel.spec)?.spec.limits?.[0]?.name;
  const named = (Object.keys(limitNames) as LimitsName[]).find((l) => limitNames[l] === asked);
  const [chosen, setLimits] = useState<LimitsName>();
  const limits = chosen ?? named ?? "r128-short";
  const { data: m, error } = useMeasurement(reel.id, reel.version, limits);
  useGoOn(reel);
  const done = m !== undefined && m.done === m.total;
  // What was measured last stays while what has changed is measured anew.
  const [last, setLast] = useState<Measurement>();
  if (done && m !== last) setLast(m);
  const shown = done ? m : last;
  return (
    <>
      <StageHead
        title="Measure"
        says={`${reel.name} against ${limitNames[limits]}${m && !done ? "" : m ? `: ${verdictInWords(m)}` : ""}`}
      >
        {done && (
          <>
            <a
              className="text-focus underline"
              href={`/api/reels/${reel.id}/measurement.pdf?limits=${limits}`}
              download={`${reel.name} loudness.pdf`}
            >
              PDF
            </a>
            <a
              className="text-focus underline"
              href={`/api/reels/${reel.id}/measurement.csv?limits=${limits}`}
              download={`${reel.name} loudness.csv`}
            >
              CSV
            </a>
          </>
        )}
        <span className="text-quiet">Limits</span>
        <Choice
          aria-label="Limits"
          value={limits}
          onChange={(e) =>
            setLimits((Object.keys(limitNames) as LimitsName[]).find((l) => l === e.target.value) ?? limits)
          }
        >
          {Object.entries(limitNames).map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </Choice>
      </StageHead>
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

/** How many buses keep the limits. Mixes are what a recipient measures: where there are some, they count. */
function verdictInWords(m: Measurement): string {
  const mixes = m.buses.filter((b) => b.role === "mix" && b.integrated_lufs != null);
  const counted = mixes.length > 0 ? mixes : m.buses.filter((b) => b.integrated_lufs != null);
  const kept = counted.filter((b) => b.verdicts.every((v) => v.pass)).length;
  return `${kept} of ${plural(counted.length, mixes.length > 0 ? "mix" : "bus", mixes.length > 0 ? "mixes" : "buses")} kept`;
}

type MeasuredProps = { production: Production; reel: Reel; m: Measurement; measuring: string };

function Measured({ production, reel, m, measuring }: MeasuredProps) {
  const buses = useMemo(() => [...m.buses].sort((a, b) => order[a.role] - order[b.role]), [m.buses]);
  const mixed = buses.some((b) => b.role === "mix" && b.integrated_lufs != null);
  // Where there are mixes, they are what a recipient measures.
  const asked = (b: MeasuredBus) => !mixed || b.role === "mix";
  const sounding = buses.filter((b) => b.integrated_lufs != null);
  const [chosen, setChosen] = useState("");
  const bus: MeasuredBus | undefined = sounding.find((b) => b.bus === chosen) ?? sounding[0];
  const total = Math.max(10, ((m.end - m.start) * 10) / production.sample_rate);
  const [view, setView] = useState<Tenths>({ from: 0, to: total });
  const [at, setAt] = useState(-1); // of the breaks
  const { mutate: edit } = useEditReel(production.id);
  // What a bus was before it was corrected, to be drawn under what it is.
  const [before, setBefore] = useState<Record<string, MeasuredBus["short_term_line"]>>({});
  const breaks = bus?.breaks ?? [];
  const go = useCallback(
    (i: number) => {
      const b = breaks[i];
      if (!b) return;
      setAt(i);
      point(Math.max(m.start, b.from - production.sample_rate));
      if (useMonitor.getState().hearing) stop();
      playOrStop(reel);
    },
    [breaks, m.start, production.sample_rate, reel],
  );
  const zoom = useCallback(
    (by: number) =>
      setView((v) => {
        const middle = Math.max(
          v.from,
          Math.min(v.to, ((useEditor.getState().pointer - m.start) * 10) / production.sample_rate),
        );
        const long = Math.min(total, Math.max(50, (v.to - v.from) * by));
        const from = Math.max(0, Math.min(total - long, middle - ((middle - v.from) / (v.to - v.from)) * long));
        return { from, to: from + long };
      }),
    [m.start, production.sample_rate, total],
  );
  const pan = useCallback(
    (part: number) =>
      setView((v) => {
        const by = Math.max(-v.from, Math.min(total - v.to, (v.to - v.from) * part));
        return { from: v.from + by, to: v.to + by };
      }),
    [total],
  );
  const list = useMemo<Command[]>(() => {
    const step = (by: number) => () => {
      const i = sounding.findIndex((b) => b.bus === bus?.bus);
      const next = sounding[i + by];
      if (next) setChosen(next.bus);
      setAt(-1);
    };
    return [
      { id: "play", name: "Hear the reel from the pointer, or stop", key: " ", run: () => playOrStop(reel) },
      { id: "next", name: "Next bus", key: "ArrowDown", run: step(1) },
      { id: "before", name: "Bus before", key: "ArrowUp", run: step(-1) },
      {
        id: "break",
        name: "Go to the next place that does not keep a limit, and hear it",
        key: "g",
        run: () => go((at + 1) % Math.max(1, breaks.length)),
      },
      { id: "in", name: "Look closer", key: "+", run: () => zoom(0.5) },
      { id: "out", name: "Look from further away", key: "-", run: () => zoom(2) },
      { id: "right", name: "Later", key: "ArrowRight", run: () => pan(0.25) },
      { id: "left", name: "Earlier", key: "ArrowLeft", run: () => pan(-0.25) },
    ];
  }, [sounding, bus, reel, go, at, breaks.length, zoom, pan]);
  useCommandList("Measure", list);
  const shown = { from: Math.min(view.from, total - 10), to: Math.min(view.to, total) };
  const high = sounding.length > 3 ? 84 : 120;
  return (
    <div className="flex min-h-0 flex-1">
      <div className="flex min-h-0 min-w-0 flex-1 flex-col overflow-auto">
        <ReadingsTable
          buses={buses}
          asked={asked}
          chosen={bus?.bus ?? ""}
          onChoose={(b) => {
            setChosen(b);
            setAt(-1);
          }}
        />
        {!buses.some((b) => b.role === "mix") && (
          <p className="px-3 py-1 text-quiet">
            There is no full mix in this weave: stems are measured by themselves.{" "}
            <Link to="/$production/weave" params={{ production: production.id }} className="text-focus underline">
              Add a mix in Weave
            </Link>
          </p>
        )}
        <div
          className="mt-2 border-line border-t"
          onWheel={(e) => {
            if (e.ctrlKey) zoom(e.deltaY > 0 ? 1.25 : 0.8);
            else if (e.deltaX !== 0) pan(e.deltaX / 1000);
          }}
        >
          <p className="flex items-center gap-3 px-3 py-1 text-quiet text-small">
            <span className="figures">
              {timecodeIn(production, m.start + Math.round((shown.from * production.sample_rate) / 10))}
            </span>
            <span className="flex-1 text-center">
              {measuring && <span className="text-caution">{measuring} </span>}
              line: short-term, body: momentary, dashed: {m.limits.integrated_lufs} LUFS asked and the gate
              {m.limits.max_short_term_lufs !== undefined && `, thread: at most ${m.limits.max_short_term_lufs} LUFS`}
            </span>
            <span className="figures">
              {timecodeIn(production, m.start + Math.round((shown.to * production.sample_rate) / 10))}
            </span>
          </p>
          {sounding.map((b) => (
            <LoudnessStrip
              key={b.bus}
              production={production}
              reel={reel.id}
              measurement={m}
              bus={b}
              before={before[b.bus]}
              asked={asked(b)}
              view={shown}
              high={high}
              chosen={b.bus === bus?.bus}
              onChoose={() => setChosen(b.bus)}
            />
          ))}
        </div>
      </div>
      <aside aria-label="Against the limits" className="flex w-[400px] shrink-0 flex-col border-line border-l bg-panel">
        {bus && <Verdicts bus={bus} />}
        {bus && (
          <CorrectForm
            key={`${bus.bus} ${m.limits.name}`}
            reel={reel}
            measurement={m}
            bus={bus}
            apply={(what, levels) => {
              setBefore(Object.fromEntries(m.buses.map((b) => [b.bus, b.short_term_line])));
              edit(() => ({ what, actions: [{ weave: { set_levels: { levels } } }] }));
            }}
          />
        )}
        <h2 className="flex items-center gap-2 px-3 pt-3 pb-1">
          <span className="flex-1">{plural(breaks.length, "place")} where a limit is not kept</span>
          {breaks.length > 0 && (
            <Button onClick={() => go((at + 1) % breaks.length)}>
              Next <Key>G</Key>
            </Button>
          )}
        </h2>
        <ul aria-label="Places where a limit is not kept" className="min-h-0 flex-1 overflow-auto">
          {breaks.map((b, i) => (
            <li key={`${b.what} ${b.from}`}>
              <button
                type="button"
                aria-current={i === at}
                className={`flex w-full gap-3 border-l-4 px-3 py-1 text-left hover:bg-raised ${i === at ? "border-focus bg-raised" : "border-transparent"}`}
                onClick={() => go(i)}
              >
                <span className="figures">{b.timecode}</span>
                <span className="min-w-0 flex-1">{b.says}</span>
              </button>
            </li>
          ))}
        </ul>
        <p className="border-line border-t px-3 py-2 text-quiet text-small">
          BS.1770-5, EBU Tech 3341 and 3342; true peak at eight places a sample; PPM of type IIa. Measured anew wherever
          the reel changes.
        </p>
      </aside>
    </div>
  );
}
