import { Link } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Minus, Plus } from "lucide-react";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Production, Reel, Route, Stem, Track } from "../../api/client";
import { type ReelEdit, useEditReel, useProduction, useReel } from "../../api/queries";
import { duration, fromHome, plural, timecodeAt } from "../../format";
import { hear, stop, useMonitor } from "../../listening/engine";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Empty, StageHead } from "../../ui/controls";
import { stemColour, stemKeys, stemWeave } from "../../ui/stems";
import { Waveform } from "../../waveform/Waveform";
import { tickStep } from "./layout";
import { useTrackChoice } from "./useTrackChoice";

const head = 250; // px of the track heads
const row = 48; // px of a track

/** The timeline: bands of tracks by stem against timecode, drawn to scale. */
export function ReelStage() {
  const production = useProductionId();
  const { data: p } = useProduction(production);
  const { data: reel } = useReel(production);
  if (!p || !reel) return null;
  return <Timeline key={reel.id} production={p} reel={reel} />;
}

function Timeline({ production: p, reel }: { production: Production; reel: Reel }) {
  const edit = useEditReel(p.id);
  const { mutate } = edit;
  const { rows, index, track, choose, arrows } = useTrackChoice(reel);
  const scroller = useRef<HTMLDivElement>(null);
  const [view, setView] = useState({ left: 0, width: 1000 });
  const [scale, setScale] = useState(0); // px a sample; 0 shows the whole reel
  const length = Math.max(1, reel.end - reel.start);
  const fit = Math.max(1e-6, (view.width - head - 16) / length);
  const px = scale === 0 ? fit : scale;
  const pointer = useRef(reel.start);

  useEffect(() => {
    const el = scroller.current;
    if (!el) return;
    const measure = () => setView({ left: el.scrollLeft, width: el.clientWidth });
    measure();
    const o = new ResizeObserver(measure);
    o.observe(el);
    el.addEventListener("scroll", measure, { passive: true });
    return () => {
      o.disconnect();
      el.removeEventListener("scroll", measure);
    };
  }, []);

  /** Zooms about the pointer, so that what one looks at stays where it is. */
  const zoom = useCallback(
    (by: number) => {
      const el = scroller.current;
      const to = Math.min(8, Math.max(fit, px * by));
      if (el) {
        const x = (pointer.current - reel.start) * px - el.scrollLeft;
        requestAnimationFrame(() => {
          el.scrollLeft = (pointer.current - reel.start) * to - x;
        });
      }
      setScale(to <= fit * 1.0001 ? 0 : to);
    },
    [fit, px, reel.start],
  );

  const list = useMemo<Command[]>(() => {
    const send = (kind: Stem["kind"]) => {
      const stem = reel.stems.find((s) => s.kind === kind);
      if (!track || !stem) return;
      mutate((now) => ({
        what: `send ${track.label} to ${stem.name}`,
        ops: [{ set_route: { track: track.id, route: { ...(now.routes[track.id] ?? plainRoute), stem: stem.id } } }],
      }));
    };
    const hearTrack = () => {
      if (useMonitor.getState().hearing) {
        stop();
        return;
      }
      const at = pointer.current;
      const clip = track?.clips.find((c) => at < c.at + c.length);
      if (!track || !clip) return;
      void hear(
        {
          of: { strands: [clip.strand] },
          labels: [track.label],
          from: clip.in + Math.max(0, at - clip.at),
          sampleRate: reel.sample_rate,
          used: true,
          way: { kind: "alone", channel: 0 },
          says: `track ${track.label}, take ${clip.name}, before its routing`,
          start: clip.at - clip.in,
        },
        true,
      );
    };
    return [
      ...arrows,
      {
        id: "hear",
        name: "Hear this track from the pointer, or stop",
        key: " ",
        offers: track ? `hear track ${track.label} from the pointer` : undefined,
        run: hearTrack,
      },
      { id: "off", name: "Turn this track off or on", key: "o", run: () => track && mutate(toggle(track)) },
      ...Object.entries(stemKeys).map(([key, kind]) => ({
        id: kind,
        name: `Send this track to ${kind}`,
        key,
        run: () => send(kind),
      })),
      {
        id: "unroute",
        name: "Send this track to no stem",
        key: "Backspace",
        run: () =>
          track &&
          mutate(() => ({ what: `send ${track.label} to no stem`, ops: [{ set_route: { track: track.id } }] })),
      },
      {
        id: "placed",
        name: "Say that the clips of this track without a start lie where they belong",
        run: () => {
          const lost = track?.clips.filter((c) => c.unplaced) ?? [];
          if (track && lost.length > 0)
            mutate(() => ({
              what: `say where ${track.label} belongs`,
              ops: lost.map((c) => ({ set_placed: { track: track.id, id: c.id, placed: true } })),
            }));
        },
      },
      { id: "in", name: "Zoom in", key: "+", run: () => zoom(2) },
      { id: "out", name: "Zoom out", key: "-", run: () => zoom(0.5) },
      { id: "fit", name: "Show the whole reel", key: "w", run: () => setScale(0) },
    ];
  }, [reel, track, arrows, mutate, zoom]);
  useCommandList("Reel", list);

  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => row,
    overscan: 4,
  });
  const width = length * px;
  const from = reel.start + Math.max(0, view.left - 200) / px;
  const to = reel.start + (view.left + view.width + 200) / px;

  return (
    <>
      <StageHead
        title="Reel"
        says={`${reel.name}: ${plural(reel.tracks.length, "track")}, ${duration(reel.end - reel.start, reel.sample_rate)} from ${reel.start_timecode}`}
      >
        <Button onClick={() => zoom(0.5)} aria-label="Zoom out">
          <Minus size={14} />
        </Button>
        <Button onClick={() => zoom(2)} aria-label="Zoom in">
          <Plus size={14} />
        </Button>
        <Button onClick={() => setScale(0)} disabled={scale === 0}>
          Whole reel
        </Button>
      </StageHead>
      {rows.length === 0 ? (
        <Empty title="The reel is empty">
          <p>Choose a take and take it into the reel: its strands are laid as clips at its start timecode.</p>
          <Link to="/$production/takes" params={{ production: p.id }} className="text-focus underline">
            Go to Takes
          </Link>
        </Empty>
      ) : (
        <div
          ref={scroller}
          className="relative min-h-0 flex-1 overflow-auto"
          onPointerMove={(e) => point(e, scroller.current, pointer, reel, px)}
        >
          <div style={{ width: head + width + 16 }} className="relative">
            <Ruler reel={reel} production={p} px={px} from={from} to={to} />
            <div role="grid" aria-label="Tracks" className="relative" style={{ height: virtual.getTotalSize() }}>
              {virtual.getVirtualItems().map((v) => {
                const t = rows[v.index];
                if (!t) return null;
                const before = rows[v.index - 1];
                return (
                  <TrackRow
                    key={t.id}
                    track={t}
                    route={reel.routes[t.id]}
                    stem={reel.stems.find((s) => s.id === reel.routes[t.id]?.stem)}
                    newBand={!before || reel.routes[before.id]?.stem !== reel.routes[t.id]?.stem}
                    top={v.start}
                    on={v.index === index}
                    reel={reel}
                    rate={p.rate}
                    px={px}
                    from={Math.floor(from / 4096) * 4096}
                    to={Math.ceil(to / 4096) * 4096}
                    onChoose={choose}
                    onToggle={mutate}
                  />
                );
              })}
            </div>
            <Playhead reel={reel} px={px} />
          </div>
        </div>
      )}
    </>
  );
}

const plainRoute: Route = { stem: "", gain_db: 0, position: "both" };

/** Turns a track off or on: what it is not when the edit's turn comes. */
function toggle({ id }: Track) {
  return (now: Reel): ReelEdit | null => {
    const t = now.tracks.find((o) => o.id === id);
    if (!t) return null;
    return {
      what: `turn ${t.label} ${t.off ? "on" : "off"}`,
      ops: [{ set_track: { id, label: t.label, off: !t.off } }],
    };
  };
}

function point(e: React.PointerEvent, el: HTMLElement | null, pointer: { current: number }, reel: Reel, px: number) {
  if (!el) return;
  const x = e.clientX - el.getBoundingClientRect().left + el.scrollLeft - head;
  pointer.current = Math.round(reel.start + Math.max(0, x) / px);
}

function Ruler({
  reel,
  production,
  px,
  from,
  to,
}: {
  reel: Reel;
  production: Production;
  px: number;
  from: number;
  to: number;
}) {
  const step = tickStep(px, reel.sample_rate, production.rate);
  const marks: number[] = [];
  for (let at = Math.ceil(Math.max(from, reel.start) / step) * step; at < Math.min(to, reel.end + step); at += step)
    marks.push(at);
  return (
    <div className="sticky top-0 z-20 h-7 border-line border-b bg-ground">
      <div
        className="sticky left-0 z-10 flex h-full items-center border-line border-r bg-ground px-3 text-quiet text-small"
        style={{ width: head }}
      >
        Track, stem
      </div>
      {marks.map((at) => (
        <span
          key={at}
          className="figures absolute top-0 h-full border-line border-l pl-1 text-quiet text-small leading-7"
          style={{ left: head + (at - reel.start) * px }}
        >
          {timecodeAt(at, reel.sample_rate, production.rate)}
        </span>
      ))}
    </div>
  );
}

function Playhead({ reel, px }: { reel: Reel; px: number }) {
  const at = useMonitor((m) => (m.hearing && m.hearing.start !== null ? m.hearing.start + m.at : -1));
  if (at < reel.start || at > reel.end) return null;
  return (
    <div
      className="pointer-events-none absolute inset-y-0 z-10 w-0.5 bg-focus"
      style={{ left: head + (at - reel.start) * px }}
    />
  );
}

type RowProps = {
  track: Track;
  route: Route | undefined;
  stem: Stem | undefined;
  newBand: boolean;
  top: number;
  on: boolean;
  reel: Reel;
  rate: Production["rate"];
  px: number;
  from: number;
  to: number;
  onChoose: (id: string) => void;
  onToggle: (v: ReturnType<typeof toggle>) => void;
};

const TrackRow = memo(function TrackRow({
  track: t,
  stem,
  newBand,
  top,
  on,
  reel,
  rate,
  px,
  from,
  to,
  onChoose,
  onToggle,
}: RowProps) {
  const colour = stemColour(stem?.kind);
  return (
    <div
      role="row"
      aria-selected={on}
      aria-label={`Track ${t.label}, ${stem?.name ?? "no stem"}${t.off ? ", off" : ""}`}
      tabIndex={on ? 0 : -1}
      onClick={() => onChoose(t.id)}
      onKeyDown={() => undefined}
      className={`absolute left-0 w-full ${newBand ? "border-line border-t" : ""} ${on ? "bg-raised" : ""}`}
      style={{ height: row, transform: `translateY(${top}px)` }}
    >
      <div
        role="rowheader"
        tabIndex={-1}
        className={`sticky left-0 z-10 flex h-full items-center gap-2 border-line border-r pr-2 ${on ? "bg-raised" : "bg-ground"}`}
        style={{ width: head }}
      >
        <span aria-hidden="true" className={`h-full w-3 shrink-0 ${stemWeave(stem?.kind)}`} style={{ color: colour }} />
        <span
          className={`ticket min-w-0 flex-1 truncate bg-panel px-2 py-0.5 ${t.off ? "text-quiet" : ""}`}
          title={t.label}
        >
          {t.label}
        </span>
        <span
          className={`w-12 truncate text-small ${stem ? "" : "text-caution"}`}
          style={{ color: stem ? colour : undefined }}
        >
          {stem?.name ?? "no stem"}
        </span>
        <button
          type="button"
          aria-pressed={!t.off}
          aria-label={`Track ${t.label} is ${t.off ? "off" : "on"}`}
          onClick={(e) => {
            e.stopPropagation();
            onToggle(toggle(t));
          }}
          className={`h-6 w-9 text-small ${t.off ? "bg-panel text-quiet" : "bg-line text-ink"}`}
        >
          {t.off ? "off" : "on"}
        </button>
      </div>
      <div
        role="gridcell"
        tabIndex={-1}
        aria-label={`${plural(t.clips.length, "clip")}: ${t.clips.map((c) => c.name).join(", ")}`}
      >
        {t.clips
          .filter((c) => c.at < to && c.at + c.length > from)
          .map((c) => {
            // Only the part in view is drawn: at the sample a clip is millions of pixels wide.
            const a = Math.max(c.at, from);
            const b = Math.min(c.at + c.length, to);
            return (
              <div
                key={c.id}
                className="absolute top-1 bottom-1 bg-panel"
                style={{
                  left: head + (a - reel.start) * px,
                  width: Math.max(2, (b - a) * px),
                  borderLeft: a === c.at ? `2px solid ${colour}` : undefined,
                }}
                title={`${c.name}, ${t.label}`}
              >
                <Waveform
                  strand={c.strand}
                  from={c.in + a - c.at}
                  to={c.in + b - c.at}
                  colour={t.off ? "var(--quiet)" : stem ? colour : "var(--ink)"}
                  className={`absolute inset-x-0 top-3.5 bottom-0 ${t.off ? "opacity-45" : ""}`}
                />
                <span
                  className={`absolute top-0 left-0 px-1 text-quiet text-small leading-4 ${reel.loose[c.strand] === undefined && !c.unplaced ? "max-w-full truncate" : "z-[5] whitespace-nowrap"}`}
                >
                  {c.name}
                  {c.unplaced && (
                    <span
                      className="ticket ml-1 bg-caution px-1 pr-2 text-ground"
                      title="Its take has no start: it was laid at the end, and nobody has said that it belongs there"
                    >
                      no start
                    </span>
                  )}
                  {reel.loose[c.strand] !== undefined && (
                    <span className="figures ticket ml-1 bg-caution px-1 pr-2 text-ground">
                      {fromHome(reel.loose[c.strand] ?? 0, reel.sample_rate, rate)}
                    </span>
                  )}
                </span>
              </div>
            );
          })}
      </div>
    </div>
  );
});
