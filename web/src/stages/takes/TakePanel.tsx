import { type ReactNode, type RefObject, useEffect, useMemo, useRef } from "react";
import type { Take } from "../../api/client";
import { useProduction } from "../../api/queries";
import { timecodeAt } from "../../format";
import { position, useMonitor } from "../../listening/engine";
import { hearsTake } from "../../listening/keys";
import { SnagLine } from "../intake/FileCardView";
import { stemAndPart } from "./cells";
import { Grouping } from "./Grouping";
import { Questions } from "./Questions";
import { StrandRow } from "./StrandRow";
import { StrandTreatment } from "./StrandTreatment";
import { Suggestions } from "./Suggestions";
import { syncs } from "./syncs";
import { TakeLoudness } from "./TakeLoudness";
import { type Range, useStrip } from "./useStrip";

type Props = {
  take: Take;
  /** All takes, to move members to. */
  takes: Take[];
  production: string;
  /** Frame under the pointer: where listening begins. */
  pointer: RefObject<number>;
  /** The strand that the sheet's cursor is on. */
  chosen: string;
  /** The stretch that can be heard over and over. */
  range: Range | null;
  onRange: (r: Range | null) => void;
  actions: ReactNode;
};

/** The strands of one take: hear them, see them, say what they are and what is done to them. */
export function TakePanel({ take, takes, production, pointer, chosen, range, onRange, actions }: Props) {
  const { data: p } = useProduction(production);
  const line = useRef<HTMLDivElement>(null);
  const says = useRef<HTMLSpanElement>(null);
  const point = (e: React.PointerEvent<HTMLElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const part = Math.max(0, Math.min(1, (e.clientX - box.left) / box.width));
    pointer.current = Math.round(part * take.frames);
    // Moved by hand: drawing the pointer must not redraw the waveforms.
    if (line.current) line.current.style.left = `${part * 100}%`;
    if (says.current && p) {
      says.current.textContent =
        take.start == null
          ? `${(pointer.current / take.sample_rate).toFixed(2)} s`
          : timecodeAt(take.start + pointer.current, take.sample_rate, p.rate);
    }
  };
  const strip = useStrip(take, point, pointer, onRange);
  const files = new Set(take.strands.map((s) => s.file)).size;
  const parts = useMemo(() => {
    const all = new Set<string>();
    for (const t of takes) for (const s of t.strands) if (s.part) all.add(stemAndPart(s));
    return [...all].sort();
  }, [takes]);
  return (
    <section
      aria-label={`Strands of take ${take.name}`}
      className="flex min-h-0 flex-1 flex-col border-line border-t bg-panel"
    >
      <header className="flex h-10 shrink-0 items-center gap-3 px-4">
        <h2 className="text-large">{take.name}</h2>
        <p
          className="min-w-0 truncate text-quiet"
          title={take.readings
            .map((r) => r.why)
            .filter(Boolean)
            .join("; ")}
        >
          {[
            take.roll && `roll ${take.roll}`,
            syncWords(take),
            take.sample_rate !== p?.sample_rate && `${take.sample_rate / 1000} kHz, converted when used`,
            ...take.readings.map((r) => `${r.positions.join(", ")}: ${r.name ?? r.kind}${r.why ? ` (${r.why})` : ""}`),
            files > 1 && take.final && take.order,
          ]
            .filter(Boolean)
            .join("; ")}
        </p>
        <span className="figures ml-auto shrink-0 text-quiet">
          pointer <span ref={says}>at the start</span>
        </span>
        {actions}
      </header>
      <div className="flex min-h-0 flex-1 flex-col overflow-auto px-4 pb-3">
        <Grouping take={take} production={production} files={files} />
        {take.snags
          .filter((s) => s.code !== "proposed" && s.code !== "undecided") // each has its own place below
          .map((s) => (
            <SnagLine key={s.code + s.message} snag={s} />
          ))}
        <Questions take={take} production={production} at={() => pointer.current} />
        <Suggestions take={take} production={production} />
        <div aria-hidden="true" className="flex h-5 shrink-0 items-center gap-1.5 text-quiet text-small">
          <span className="w-[60px] shrink-0" />
          <span className="w-[140px] shrink-0">Label</span>
          <span className="w-[66px] shrink-0">Stem</span>
          <span className="flex-1">Part</span>
          <span className="w-[78px] shrink-0 text-center">On, polarity</span>
          <span className="w-13 shrink-0 text-right">Trim</span>
          <span className="w-13 shrink-0 text-right">Delay</span>
          <span className="w-13 shrink-0 whitespace-nowrap text-right">Hi-pass</span>
          <span className="w-6 shrink-0" />
        </div>
        {/* Strands share the room there is, up to what a waveform is worth. */}
        <div className="relative flex shrink-0 grow flex-col" style={{ maxHeight: take.strands.length * 104 }}>
          <StrandTreatment take={take} production={production} />
          <ul className="flex grow flex-col">
            {take.strands.map((s) => (
              <StrandRow
                key={s.id}
                strand={s}
                take={take}
                takes={takes}
                production={production}
                pointer={pointer}
                strip={strip(s)}
                chosen={s.id === chosen}
                set={files > 1}
                parts={parts}
              />
            ))}
          </ul>
          <div className="pointer-events-none absolute inset-y-0 right-[388px] left-[372px]">
            {range && (
              <div
                data-range
                className="absolute inset-y-0 border-focus border-x bg-focus/15"
                style={{
                  left: `${(range.from / take.frames) * 100}%`,
                  width: `${((range.to - range.from) / take.frames) * 100}%`,
                }}
              />
            )}
            <div ref={line} className="absolute inset-y-0 left-0 w-px bg-focus" />
            <Playhead take={take} />
          </div>
        </div>
        {take.final && <TakeLoudness key={take.id} take={take} />}
      </div>
    </section>
  );
}

/** How far lining it up is, in words. */
function syncWords(t: Take): string {
  return [
    syncs[t.sync].says,
    t.drift_ppm !== 0 && `its clock ran ${t.drift_ppm.toFixed(1)} ppm fast, corrected when used`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** Where the take sounds now: drawn by hand, with every frame of the screen. */
function Playhead({ take }: { take: Take }) {
  const line = useRef<HTMLDivElement>(null);
  const on = useMonitor((m) => hearsTake(take, m.hearing));
  useEffect(() => {
    if (!on) return;
    let next = 0;
    const draw = () => {
      if (line.current) line.current.style.left = `${Math.max(0, Math.min(1, position() / take.frames)) * 100}%`;
      next = requestAnimationFrame(draw);
    };
    draw();
    return () => cancelAnimationFrame(next);
  }, [on, take.frames]);
  if (!on) return null;
  return <div ref={line} className="absolute inset-y-0 w-0.5 bg-ink" />;
}
