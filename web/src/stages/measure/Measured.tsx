import { Link } from "@tanstack/react-router";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Production, Reel, Schemas } from "../../api/client";
import type { MeasuredBus, Measurement } from "../../api/measure";
import { useEditReel } from "../../api/reel";
import { point, useEditor } from "../../editor/store";
import { stop, useMonitor } from "../../listening/engine";
import { timecodeIn } from "../../timeline/place";
import { type Command, useCommandList } from "../../ui/commands";
import { flipCorrections, playOrStop } from "../reel/hearing";
import { Channels } from "./Channels";
import { CorrectForm } from "./CorrectForm";
import { CorrectionPanel } from "./CorrectionPanel";
import { keyOf, level } from "./figures";
import { GainOver } from "./GainOver";
import { LoudnessStrip } from "./LoudnessStrip";
import { Places } from "./Places";
import { ReadingsTable } from "./ReadingsTable";
import { Sides } from "./Sides";
import { SkyStrip } from "./SkyStrip";
import { useStripView } from "./useStripView";
import { Verdicts } from "./Verdicts";

const order = { mix: 0, stem: 1, part: 2, outputs: 3 };

type Props = { production: Production; reel: Reel; m: Measurement; measuring: string };

/** What was measured of a reel: readings, strips over time, and one bus against its limits and its correction. */
export function Measured({ production, reel, m, measuring }: Props) {
  const rate = production.sample_rate;
  const buses = useMemo(() => [...m.buses].sort((a, b) => order[a.role] - order[b.role]), [m.buses]);
  const sounding = buses.filter((b) => b.integrated_lufs != null && !b.as);
  const [chosen, setChosen] = useState("");
  const bus: MeasuredBus | undefined = sounding.find((b) => keyOf(b) === chosen) ?? sounding[0];
  const total = Math.max(10, ((m.end - m.start) * 10) / rate);
  const tenthOf = useCallback((at: number) => ((at - m.start) * 10) / rate, [m.start, rate]);
  const strips = useStripView(
    total,
    useCallback(() => tenthOf(useEditor.getState().pointer), [tenthOf]),
  );
  const { zoom, pan, show, whole } = strips;
  const [at, setAt] = useState(-1); // of the places
  const [over, setOver] = useState<number | null>(null);
  const [drawn, setDrawn] = useState(false);
  const { mutate: edit } = useEditReel(production.id);
  const change = useCallback(
    (what: string, c: Schemas["WeaveChange"]) => edit(() => ({ what, actions: [{ weave: c }] })),
    [edit],
  );
  const breaks = bus?.breaks ?? [];
  const choose = (b: string) => {
    setChosen(b);
    setAt(-1);
  };
  const go = useCallback(
    (i: number) => {
      const b = breaks[i];
      if (!b) return;
      setAt(i);
      point(Math.max(m.start, b.from - rate));
      show(tenthOf(b.from));
      if (useMonitor.getState().hearing) stop();
      playOrStop(reel);
    },
    [breaks, m.start, rate, reel, show, tenthOf],
  );
  const flip = useCallback(
    (matched: boolean) => {
      const [before, after] = [bus?.before?.integrated_lufs, bus?.integrated_lufs];
      if (!bus?.before) return;
      flipCorrections(reel, matched && before != null && after != null ? after - before : 0);
    },
    [bus, reel],
  );
  const list = useMemo<Command[]>(() => {
    const step = (by: number) => () => {
      const i = sounding.indexOf(bus as MeasuredBus);
      const next = sounding[i + by];
      if (next) setChosen(keyOf(next));
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
      ...(bus?.before
        ? [
            {
              id: "flip",
              name: "Hear it before the correction, or after",
              key: "b",
              run: () => flip(false),
            },
            {
              id: "flip-matched",
              name: "Hear it before the correction as loud as after, or after",
              key: "l",
              run: () => flip(true),
            },
          ]
        : []),
      { id: "in", name: "Look closer", key: "+", run: () => zoom(0.5) },
      { id: "out", name: "Look from further away", key: "-", run: () => zoom(2) },
      { id: "whole", name: "Look at all of the reel", key: "Home", run: whole },
      { id: "right", name: "Later", key: "ArrowRight", run: () => pan(0.25) },
      { id: "left", name: "Earlier", key: "ArrowLeft", run: () => pan(-0.25) },
    ];
  }, [sounding, bus, reel, go, at, breaks.length, zoom, pan, whole, flip]);
  useCommandList("Measure", list);
  // The browser's own zoom is not wanted over the strips: a listener of React's can't refuse it.
  const cloth = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const wheel = (e: WheelEvent) => {
      if (e.ctrlKey) zoom(e.deltaY > 0 ? 1.25 : 0.8);
      else if (e.deltaX !== 0) pan(e.deltaX / 1000);
      else return;
      e.preventDefault();
    };
    const c = cloth.current;
    c?.addEventListener("wheel", wheel, { passive: false });
    return () => c?.removeEventListener("wheel", wheel);
  }, [zoom, pan]);
  const view = strips.view;
  const sampleAt = (tenth: number) => m.start + Math.round((tenth * rate) / 10);
  const high = sounding.length > 3 ? 84 : 120;
  const limits = bus?.limits;
  const fields = reel.doc.weave.buses.filter((b) => b.layout.startsWith("ambisonic"));
  const drawing = reel.doc.weave.corrections?.find((c) => bus?.role !== "outputs" && c.bus === bus?.bus);
  return (
    <div className="flex min-h-0 flex-1">
      <div className="flex min-h-0 min-w-0 flex-1 flex-col overflow-auto">
        <ReadingsTable buses={buses} chosen={bus ? keyOf(bus) : ""} onChoose={choose} />
        {!buses.some((b) => b.role === "mix") && (
          <p className="px-3 py-1 text-quiet">
            There is no full mix in this weave: stems are measured by themselves.{" "}
            <Link to="/$production/weave" params={{ production: production.id }} className="text-focus underline">
              Add a mix in Weave
            </Link>
          </p>
        )}
        <div ref={cloth} className="mt-2 border-line border-t">
          <p className="flex items-center gap-3 px-3 py-1 text-quiet text-small">
            <span className="figures">{timecodeIn(production, sampleAt(view.from))}</span>
            <span className="min-w-0 flex-1 truncate text-center">
              {measuring && <span className="text-caution">{measuring} </span>}
              line: short-term, body: momentary, dotted: before, dashed:{" "}
              {limits?.integrated_lufs !== undefined && `${level(limits.integrated_lufs)} LUFS asked and `}the gate
              {limits?.max_short_term_lufs !== undefined &&
                `, thread: at most ${level(limits.max_short_term_lufs)} LUFS`}
            </span>
            <span className="figures">{timecodeIn(production, sampleAt(view.to))}</span>
          </p>
          {sounding.map((b) => (
            <LoudnessStrip
              key={keyOf(b)}
              production={production}
              reel={reel.id}
              measurement={m}
              bus={b}
              view={view}
              high={high}
              chosen={b === bus}
              onChoose={() => setChosen(keyOf(b))}
              over={over}
              onOver={setOver}
            >
              {drawn && b === bus && drawing && (
                <GainOver
                  name={b.name}
                  gain={drawing.gain ?? []}
                  rate={rate}
                  high={high}
                  from={sampleAt(view.from)}
                  to={sampleAt(view.to)}
                  save={(gain, what) => change(what, { alter_correction: { id: drawing.id ?? "", gain } })}
                />
              )}
            </LoudnessStrip>
          ))}
          {fields.map((b) => (
            <SkyStrip
              key={b.id}
              production={production}
              reel={reel}
              bus={{ bus: b.id, name: b.name }}
              start={m.start}
              view={view}
            />
          ))}
        </div>
      </div>
      <aside
        aria-label="Against the limits"
        className="flex w-[372px] shrink-0 flex-col overflow-auto border-line border-l bg-panel"
      >
        {bus && <Verdicts bus={bus} />}
        {bus?.how && <p className="px-3 py-1 text-quiet text-small">{bus.how}.</p>}
        {bus && <Channels bus={bus} />}
        <Places breaks={breaks} at={at} go={go} />
        {bus && (
          <CorrectionPanel
            production={production}
            reel={reel}
            bus={bus}
            drawn={drawn}
            setDrawn={setDrawn}
            flip={flip}
            change={change}
          />
        )}
        {bus && bus.role !== "outputs" && (
          <CorrectForm
            key={`${bus.bus} ${m.asked} ${bus.correction?.correction.print}`}
            reel={reel}
            bus={bus}
            apply={(what, correction) => change(what, { set_correction: { correction } })}
          />
        )}
        <Sides />
        <p className="border-line border-t px-3 py-2 text-quiet text-small">
          BS.1770-5, EBU Tech 3341 and 3342; true peak at eight places a sample; PPM of type IIa. Measured anew wherever
          the reel changes.
        </p>
      </aside>
    </div>
  );
}
