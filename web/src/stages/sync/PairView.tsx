import { Play } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import type { SyncPair } from "../../api/client";
import { hear, prepare, stop } from "../../listening/engine";
import { type Command, typing, useCommandList } from "../../ui/commands";
import { Key } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { bars, framesOf, inWords, type View, wholeView, zoomed } from "./view";

/** Two recordings above each other at the moment they agree, from all of it to single samples. */
export function PairView({ pair: p, actions }: { pair: SyncPair; actions: ReactNode }) {
  const found = p.windows > 0 && p.state !== "none";
  const [view, setView] = useState<View>(() => wholeView(p));
  const fit = `${p.offset_seconds} ${p.state === "proposed" || p.state === "aligning"}`;
  useEffect(() => setView(wholeView(p)), [fit]);
  const commands = useMemo<Command[]>(
    () => [
      { id: "in", name: "Look closer", key: "+", run: () => setView((v) => zoomed(v, -1)) },
      { id: "out", name: "See more", key: "-", run: () => setView((v) => zoomed(v, 1)) },
      { id: "all", name: "See all that both hear", key: "0", run: () => setView(wholeView(p)) },
      {
        id: "left",
        name: "Earlier",
        key: "ArrowLeft",
        run: () => setView((v) => ({ ...v, centre: v.centre - v.span / 4 })),
      },
      {
        id: "right",
        name: "Later",
        key: "ArrowRight",
        run: () => setView((v) => ({ ...v, centre: v.centre + v.span / 4 })),
      },
    ],
    [p],
  );
  useCommandList("Sync, the pair", commands);
  const frames = framesOf(p, view);
  const listen = (which: "ref" | "take") => {
    const t = p[which];
    const from = Math.max(0, Math.min(t.frames - 1, frames[which].from));
    void hear({
      strand: t.strand,
      from,
      sampleRate: t.sample_rate,
      says: `${t.name}, its loudest strand`,
      start: null,
    });
  };
  const latest = useRef(listen);
  latest.current = listen;
  useEffect(() => {
    prepare(p.ref.sample_rate);
    const which = (e: KeyboardEvent) => (e.code === "Digit1" ? "ref" : e.code === "Digit2" ? "take" : null);
    const down = (e: KeyboardEvent) => {
      const w = which(e);
      if (w && !e.repeat && !e.ctrlKey && !e.metaKey && !typing(e.target)) latest.current(w);
    };
    const up = (e: KeyboardEvent) => which(e) && stop();
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [p.ref.sample_rate]);
  return (
    <section
      aria-label={`${p.take.name} with ${p.ref.name}`}
      className="flex min-w-0 flex-1 flex-col overflow-auto p-4"
    >
      <header className="mb-2 flex items-center gap-2">
        <h2 className="min-w-0 truncate text-large">
          {p.take.name} <span className="text-quiet">with</span> {p.ref.name}
        </h2>
        <span className="flex-1" />
        {actions}
      </header>
      <p className="mb-3 text-quiet">
        {[p.why, p.error || p.reason]
          .filter(Boolean)
          .map((s) => `${s.charAt(0).toUpperCase()}${s.slice(1)}.`)
          .join(" ")}
      </p>
      {found && <Facts pair={p} />}
      <Bars pair={p} view={view} found={found} onPick={(centre) => setView((v) => ({ ...v, centre }))} />
      <div className="mt-3 flex items-center gap-2 text-quiet text-small">
        <span>
          {inWords(view.span)} in view, around {inWords(view.centre)} of {p.ref.name}
        </span>
        <span className="flex-1" />
        <Key>+</Key> closer <Key>−</Key> more <Key>0</Key> all <Key>←</Key>
        <Key>→</Key> along
      </div>
      {(["ref", "take"] as const).map((which, i) => (
        <div key={which} className="mt-1 flex items-stretch gap-2">
          <div className="flex w-28 shrink-0 flex-col justify-center">
            <span className="truncate" title={p[which].name}>
              {p[which].name}
            </span>
            <span className="figures truncate text-quiet text-small">{p[which].start_timecode || "no start"}</span>
            <span className="mt-1 flex items-center gap-1">
              <Key>{i + 1}</Key>
              <button
                type="button"
                aria-label={`Hear ${p[which].name} from here while held`}
                className="flex h-6 w-6 items-center justify-center text-quiet hover:text-focus"
                onPointerDown={(e) => {
                  e.currentTarget.setPointerCapture(e.pointerId);
                  listen(which);
                }}
                onPointerUp={stop}
                onPointerCancel={stop}
              >
                <Play size={14} />
              </button>
            </span>
          </div>
          <div className="relative h-32 min-w-0 flex-1 bg-ground">
            {p[which].strand && frames[which].to > 0 && frames[which].from < p[which].frames && (
              <Waveform
                strand={p[which].strand}
                from={frames[which].from}
                to={frames[which].to}
                colour={which === "ref" ? "var(--ink)" : "var(--focus)"}
                zoom={2}
                className="h-full w-full"
              />
            )}
            <div className="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-caution/70" />
          </div>
        </div>
      ))}
      {!found && p.state === "none" && (
        <p className="mt-3 text-quiet">They are drawn from their first samples: no place was found where they agree.</p>
      )}
    </section>
  );
}

/** Offset, certainty, polarity, drift and the count of channels, in words and numbers. */
function Facts({ pair: p }: { pair: SyncPair }) {
  const rows: [string, string][] = [
    [
      "Offset",
      `${inWords(Math.abs(p.offset_seconds))} (${Math.abs(p.offset_samples).toFixed(1)} samples) ${p.offset_samples < 0 ? "before" : "after"} the first sample of ${p.ref.name}`,
    ],
    [
      "Its clock",
      p.shift_seconds === null
        ? "one of them has no timecode to compare"
        : Math.abs(p.shift_seconds) < 0.0005
          ? "agrees with its timecode"
          : `${inWords(Math.abs(p.shift_seconds))} ${p.shift_seconds > 0 ? "behind" : "ahead"}`,
    ],
    [
      "Agreement",
      `${p.agree} of ${p.windows} places, within ${p.spread_ms.toFixed(2)} ms; ${inWords(p.overlap)} in common`,
    ],
    [
      "Drift",
      p.drift_ppm === null
        ? "too short in common to tell"
        : `${p.drift_ppm.toFixed(1)} ppm, ${p.apart_ms.toFixed(2)} ms apart at the end`,
    ],
    ["Polarity", p.polarity < 0 ? "inverted" : "the same"],
    ["Channels", `${p.take.strands} in, ${p.take.strands} kept: all move together`],
  ];
  return (
    <dl className="mb-3 grid grid-cols-[88px_1fr] gap-y-0.5">
      {rows.map(([k, v]) => (
        <div key={k} className="contents">
          <dt className="text-quiet">{k}</dt>
          <dd className={`figures ${k === "Polarity" && p.polarity < 0 ? "text-caution" : ""}`}>{v}</dd>
        </div>
      ))}
    </dl>
  );
}

type BarsProps = { pair: SyncPair; view: View; found: boolean; onPick: (centre: number) => void };

/** Both recordings as bars on one time line, and what of it is in view. */
function Bars({ pair: p, view, found, onPick }: BarsProps) {
  const b = bars(p);
  const from = Math.min(b.ref.from, b.take.from);
  const whole = Math.max(b.ref.to, b.take.to) - from || 1;
  const left = (t: number) => `${((t - from) / whole) * 100}%`;
  const width = (s: number) => `${Math.max(0.3, (s / whole) * 100)}%`;
  return (
    <button
      type="button"
      aria-label="The time line; click to look there"
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        onPick(from + ((e.clientX - box.left) / box.width) * whole);
      }}
      className="relative block h-12 w-full shrink-0 bg-ground"
    >
      <span
        className="absolute top-2 h-3 bg-quiet"
        style={{ left: left(b.ref.from), width: width(b.ref.to - b.ref.from) }}
      />
      <span
        className={`absolute bottom-2 h-3 ${found ? "bg-focus" : "bg-line"}`}
        style={{ left: left(b.take.from), width: width(b.take.to - b.take.from) }}
      />
      <span
        className="absolute inset-y-0 border-caution border-x bg-caution/10"
        style={{ left: left(view.centre - view.span / 2), width: width(view.span) }}
      />
    </button>
  );
}
