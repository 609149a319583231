import { Play } from "lucide-react";
import { type ReactNode, type RefObject, useRef, useState } from "react";
import type { Strand, Take } from "../../api/client";
import { useLabelStrand, useProduction } from "../../api/queries";
import { dbfs, timecodeAt } from "../../format";
import { stop, useMonitor } from "../../listening/engine";
import { hearStrand } from "../../listening/keys";
import { Key } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { SnagLine } from "../intake/FileCardView";

const sources: Record<Strand["label_source"], string> = {
  ixml: "from iXML",
  bext: "from bext",
  name: "from the name",
  typed: "typed",
  "": "",
};

type Props = {
  take: Take;
  production: string;
  /** Frame under the pointer: where listening begins. */
  pointer: RefObject<number>;
  actions: ReactNode;
};

/** The strands of one take: hear them, see them, label them. */
export function TakePanel({ take, production, pointer, actions }: Props) {
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
  return (
    <section
      aria-label={`Strands of take ${take.name}`}
      className="flex min-h-0 flex-1 flex-col border-line border-t bg-panel"
    >
      <header className="flex h-10 shrink-0 items-center gap-3 px-4">
        <h2 className="text-large">{take.name}</h2>
        <p className="min-w-0 truncate text-quiet">
          {[take.roll && `roll ${take.roll}`, take.note, take.circled && "circled", take.no_good && "no good"]
            .filter(Boolean)
            .join(", ")}
        </p>
        <span className="figures ml-auto text-quiet">
          pointer <span ref={says}>at the start</span>
        </span>
        {actions}
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 pb-3">
        {take.snags.map((s) => (
          <SnagLine key={s.code} snag={s} />
        ))}
        <div className="relative">
          <ul>
            {take.strands.map((s) => (
              <StrandRow key={s.id} strand={s} take={take} production={production} pointer={pointer} onPoint={point} />
            ))}
          </ul>
          <div className="pointer-events-none absolute inset-y-0 right-[72px] left-[280px]">
            <div ref={line} className="absolute inset-y-0 left-0 w-px bg-focus" />
            <Playhead take={take} />
          </div>
        </div>
      </div>
    </section>
  );
}

/** Where the take sounds now. */
function Playhead({ take }: { take: Take }) {
  const part = useMonitor((m) =>
    m.hearing && take.strands.some((s) => s.id === m.hearing?.strand) ? m.at / take.frames : -1,
  );
  if (part < 0) return null;
  return <div className="absolute inset-y-0 w-0.5 bg-ink" style={{ left: `${part * 100}%` }} />;
}

type RowProps = {
  strand: Strand;
  take: Take;
  production: string;
  pointer: RefObject<number>;
  onPoint: (e: React.PointerEvent<HTMLElement>) => void;
};

function StrandRow({ strand: s, take, production, pointer, onPoint }: RowProps) {
  const label = useLabelStrand(production);
  const heard = useMonitor((m) => m.hearing?.strand === s.id);
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    if (draft !== null && draft.trim() !== s.label) label.mutate({ strand: s.id, label: draft.trim(), was: s.label });
    setDraft(null);
  };
  const onKey = (e: React.KeyboardEvent<HTMLInputElement>) => {
    const all = [...document.querySelectorAll<HTMLInputElement>("[data-label-field]")];
    const at = all.indexOf(e.currentTarget);
    const go = (n: number) => {
      e.preventDefault();
      const to = all[n];
      if (to) to.focus();
      else e.currentTarget.blur();
    };
    if (e.key === "Enter" || e.key === "ArrowDown") go(at + 1);
    else if (e.key === "ArrowUp") go(at - 1);
    else if (e.key === "Escape") {
      setDraft(null);
      e.currentTarget.blur();
    }
  };
  const name = s.label || "no label";
  return (
    <li className={`flex h-9 items-center gap-2 ${heard ? "bg-raised" : ""}`}>
      <span className="w-6 text-center">{s.position <= 10 && <Key>{s.position % 10}</Key>}</span>
      <button
        type="button"
        aria-label={`Hear strand ${s.position}, ${name}, while held`}
        className={`flex h-6 w-6 items-center justify-center ${heard ? "text-focus" : "text-quiet hover:text-focus"}`}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          hearStrand(take, s, pointer.current);
        }}
        onPointerUp={stop}
        onPointerCancel={stop}
      >
        <Play size={14} />
      </button>
      <input
        data-label-field
        aria-label={`Label of strand ${s.position}`}
        value={draft ?? s.label}
        placeholder={s.silent ? "empty" : "no label"}
        maxLength={200}
        onChange={(e) => setDraft(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={save}
        onKeyDown={onKey}
        className="ticket h-7 w-36 bg-raised px-2 focus:bg-ground"
      />
      <span className="w-14 truncate text-quiet text-small" title={sources[s.label_source]}>
        {s.mix ? "mix" : sources[s.label_source].replace("from ", "")}
      </span>
      <button
        type="button"
        tabIndex={-1}
        aria-label={`Waveform of strand ${s.position}; click to hear it from here`}
        onPointerMove={onPoint}
        onPointerDown={onPoint}
        onClick={() => hearStrand(take, s, pointer.current, true)}
        className="h-8 min-w-0 flex-1 bg-ground"
      >
        <Waveform
          strand={s.id}
          from={0}
          to={take.frames}
          colour={s.silent ? "var(--quiet)" : heard ? "var(--focus)" : "var(--ink)"}
          className="h-full w-full"
        />
      </button>
      <span className={`figures w-16 text-right text-small ${s.silent ? "text-caution" : "text-quiet"}`}>
        {s.silent ? "empty" : dbfs(s.peak_dbfs)}
      </span>
    </li>
  );
}
