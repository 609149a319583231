import { Play } from "lucide-react";
import type { RefObject } from "react";
import type { Strand, Take } from "../../api/client";
import { useEditSheet, useProduction } from "../../api/queries";
import { dbfs } from "../../format";
import { stop, useMonitor } from "../../listening/engine";
import { aloneIn, hearStrand } from "../../listening/keys";
import { Choice, Key } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { readPart, type SheetCell } from "./cells";
import { DetachedLine } from "./Detached";
import { MoreOfStrand } from "./MoreOfStrand";
import { Figure, Text, Toggle } from "./strandCells";
import type { useStrip } from "./useStrip";

type RowProps = {
  strand: Strand;
  take: Take;
  takes: Take[];
  production: string;
  pointer: RefObject<number>;
  strip: ReturnType<ReturnType<typeof useStrip>>;
  chosen: boolean;
  set: boolean;
  /** Parts that are in use, to choose from. */
  parts: string[];
};

/** One strand of a take: heard, seen, named, and what is done to it. */
export function StrandRow({ strand: s, take, takes, production, pointer, strip, chosen, set, parts }: RowProps) {
  const { mutate: edit } = useEditSheet(production);
  const { data: p } = useProduction(production);
  const heard = useMonitor((m) => aloneIn(take, m.hearing)?.id === s.id);
  const put = (field: SheetCell["field"], value: unknown, was: unknown, what: string) =>
    value !== was &&
    edit({ what: `${what} of strand ${s.position} of ${take.name}`, cells: [{ row: s.id, field, value, was }] });
  const name = s.label || "no label";
  const of = `of strand ${s.position}`;
  return (
    <li className={`flex flex-1 flex-col ${s.detached ? "min-h-17" : "min-h-9"}`}>
      <div
        className={`flex min-h-9 flex-1 items-center gap-1.5 ${heard || chosen ? "bg-raised" : ""} ${s.off ? "text-quiet" : ""}`}
      >
        <span className="w-6 shrink-0 text-center">{s.position <= 10 && <Key>{s.position % 10}</Key>}</span>
        <button
          type="button"
          aria-label={`Hear strand ${s.position}, ${name}, while held`}
          className={`flex h-6 w-6 shrink-0 items-center justify-center ${heard ? "text-focus" : "text-quiet hover:text-focus"}`}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            hearStrand(take, s, pointer.current);
          }}
          onPointerUp={stop}
          onPointerCancel={stop}
        >
          <Play size={14} />
        </button>
        <Text
          says={`Label ${of}`}
          value={s.label}
          empty={s.silent ? "empty" : "no label"}
          onSave={(v) => put("label", v, s.label, "label")}
          className="ticket w-[140px] shrink-0 border-0 bg-raised"
        />
        <Choice
          aria-label={`Stem ${of}`}
          value={s.stem}
          onChange={(e) => put("stem", e.target.value, s.stem, "stem")}
          className="w-[66px] shrink-0"
        >
          <option value="">stem</option>
          {["DX", "VO", "MX", "FX"].map((k) => (
            <option key={k}>{k}</option>
          ))}
        </Choice>
        <Text
          says={`Part ${of}`}
          value={s.part}
          title="A part of the stem, such as Ines; DX / Ines gives the stem as well"
          empty="part"
          list={parts}
          onSave={(v) => {
            const { stem, part } = readPart(v);
            const cells: SheetCell[] = [];
            if (part !== s.part) cells.push({ row: s.id, field: "part", value: part, was: s.part });
            if (stem !== undefined && stem !== s.stem)
              cells.push({ row: s.id, field: "stem", value: stem, was: s.stem });
            if (cells.length > 0) edit({ what: `part of strand ${s.position} of ${take.name}`, cells });
          }}
          className="w-[76px] shrink-0"
        />
        <button
          type="button"
          tabIndex={-1}
          aria-label={`Waveform of strand ${s.position}; click to hear it from here`}
          title="Click to hear it from here, drag to move along it with sound, drag with Shift to choose a stretch"
          {...strip}
          className="relative min-h-8 min-w-0 flex-1 touch-none self-stretch border-transparent border-y-2 bg-ground bg-clip-padding"
        >
          <Waveform
            strand={s.id}
            from={-s.shift}
            to={take.frames - s.shift}
            colour={s.silent || s.off ? "var(--quiet)" : heard ? "var(--focus)" : "var(--ink)"}
            className="absolute inset-0"
          />
        </button>
        <span className={`figures w-16 shrink-0 text-right text-small ${s.silent ? "text-caution" : "text-quiet"}`}>
          {s.silent ? "empty" : dbfs(s.peak_dbfs)}
        </span>
        <Toggle
          on={!s.off}
          says={`Strand ${s.position} is on`}
          title="On wherever it is used"
          onClick={() => put("off", !s.off, s.off, s.off ? "switch on" : "switch off")}
        >
          on
        </Toggle>
        <Toggle
          on={s.invert}
          says={`Polarity ${of} inverted`}
          title="Polarity inverted"
          onClick={() => put("invert", !s.invert, s.invert, "polarity")}
        >
          inv
        </Toggle>
        <Figure
          says={`Trim ${of} in dB`}
          unit="dB"
          value={s.trim_db}
          onSave={(v) => put("trim_db", v, s.trim_db, "trim")}
        />
        <Figure
          says={`Delay ${of} in samples`}
          unit="smp"
          value={s.delay}
          onSave={(v) => put("delay", Math.round(v), s.delay, "delay")}
        />
        <Figure
          says={`High-pass ${of} in Hz, 0 for none`}
          unit="Hz"
          value={s.high_pass}
          onSave={(v) => put("high_pass", v, s.high_pass, "high-pass")}
        />
        <MoreOfStrand strand={s} take={take} takes={takes} production={production} set={set} />
      </div>
      {s.detached && p && <DetachedLine strand={s} take={take} production={production} rate={p.rate} />}
    </li>
  );
}
