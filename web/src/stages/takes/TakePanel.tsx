import { useQueryClient } from "@tanstack/react-query";
import { Check, Play, X } from "lucide-react";
import { type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { api, must, type Strand, type Take } from "../../api/client";
import { failed, keys, useDecide, useEditSheet, useProduction } from "../../api/queries";
import { dbfs, timecodeAt } from "../../format";
import { position, stop, useMonitor } from "../../listening/engine";
import { aloneIn, hearStrand, hearsTake } from "../../listening/keys";
import { Button, Choice, Key, TextField } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { SnagLine } from "../intake/FileCardView";
import { readPart, type SheetCell, stemAndPart } from "./cells";
import { groupWords } from "./groupWords";
import { LooseLine, useLoose } from "./Loose";
import { syncs } from "./syncs";
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
  const parts = useMemo(
    () => [...new Set(takes.flatMap((t) => t.strands.filter((s) => s.part).map(stemAndPart)))].sort(),
    [takes],
  );
  return (
    <section
      aria-label={`Strands of take ${take.name}`}
      className="flex min-h-0 flex-1 flex-col border-line border-t bg-panel"
    >
      <header className="flex h-10 shrink-0 items-center gap-3 px-4">
        <h2 className="text-large">{take.name}</h2>
        <p className="min-w-0 truncate text-quiet">
          {[
            take.roll && `roll ${take.roll}`,
            syncWords(take),
            take.sample_rate !== p?.sample_rate && `${take.sample_rate / 1000} kHz, converted when used`,
            ...take.readings.map((r) => `${r.positions.join(", ")}: ${r.name ?? r.kind}`),
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
          .filter((s) => s.code !== "proposed")
          .map((s) => (
            <SnagLine key={s.code + s.message} snag={s} />
          ))}
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
      </div>
    </section>
  );
}

/** What makes the take's files one, and what is to be done where that is not certain. */
export function Grouping({ take, production, files }: { take: Take; production: string; files: number }) {
  const { mutate: edit, isPending } = useEditSheet(production);
  const has = (code: string) => take.snags.some((s) => s.code === code);
  const set = (what: string, ...cells: [SheetCell["field"], unknown][]) =>
    edit({ what: `${what} ${take.name}`, cells: cells.map(([field, value]) => ({ row: take.id, field, value })) });
  if (take.final && !has("member_missing") && !has("member_length")) return null;
  return (
    <div className="mb-2 flex items-center gap-2 border-caution border-l-4 bg-raised px-3 py-2">
      <p className="min-w-0 flex-1">{groupWords(take, files)}</p>
      {has("member_length") ? (
        <>
          <Button
            disabled={isPending}
            primary
            onClick={() => set("pad and accept", ["length_remedy", "pad"], ["accepted", true])}
          >
            Pad at the end
          </Button>
          <Button
            disabled={isPending}
            onClick={() => set("end with the shortest and accept", ["length_remedy", "shortest"], ["accepted", true])}
          >
            End with the shortest
          </Button>
        </>
      ) : has("member_missing") ? (
        <>
          <Button
            disabled={isPending || take.missing_remedy === "wait"}
            onClick={() => set("wait for the rest of", ["missing_remedy", "wait"])}
          >
            {take.missing_remedy === "wait" ? "Waiting for the file" : "Wait for the file"}
          </Button>
          <Button
            disabled={isPending}
            primary
            onClick={() => set("take without the missing member:", ["missing_remedy", "without"], ["accepted", true])}
          >
            Take without it
          </Button>
        </>
      ) : (
        <Button disabled={isPending} primary onClick={() => set("accept the group", ["accepted", true])}>
          Accept the group
        </Button>
      )}
    </div>
  );
}

/** What the sound and the labels suggest, each with its reason. */
function Suggestions({ take, production }: { take: Take; production: string }) {
  const { mutate: decide, isPending } = useDecide(production);
  if (take.suggestions.length === 0) return null;
  return (
    <ul aria-label="Hints" className="mb-2">
      {take.suggestions.map((s) => (
        <li key={s.id} className="flex min-h-8 items-center gap-2 border-focus border-l-4 bg-raised/60 px-3 py-0.5">
          <span className="w-16 shrink-0 text-quiet text-small">{s.certainty}</span>
          <span className="min-w-0 flex-1">
            {s.says.charAt(0).toUpperCase() + s.says.slice(1)}.{" "}
            <span className="text-quiet text-small">{s.reason}</span>
          </span>
          <button
            type="button"
            disabled={isPending}
            aria-label={`Accept: ${s.says}`}
            className="flex h-7 w-7 shrink-0 items-center justify-center text-good hover:bg-raised"
            onClick={() => decide({ suggestions: [s.id], accept: true })}
          >
            <Check size={16} />
          </button>
          <button
            type="button"
            disabled={isPending}
            aria-label={`Refuse: ${s.says}`}
            className="flex h-7 w-7 shrink-0 items-center justify-center text-quiet hover:bg-raised hover:text-bad"
            onClick={() => decide({ suggestions: [s.id], accept: false })}
          >
            <X size={16} />
          </button>
        </li>
      ))}
    </ul>
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

function StrandRow({ strand: s, take, takes, production, pointer, strip, chosen, set, parts }: RowProps) {
  const { mutate: edit } = useEditSheet(production);
  const { data: p } = useProduction(production);
  const heard = useMonitor((m) => aloneIn(take, m.hearing)?.id === s.id);
  const put = (field: SheetCell["field"], value: unknown, was: unknown, what: string) =>
    value !== was &&
    edit({ what: `${what} of strand ${s.position} of ${take.name}`, cells: [{ row: s.id, field, value, was }] });
  const name = s.label || "no label";
  const of = `of strand ${s.position}`;
  return (
    <li className={`flex flex-1 flex-col ${s.loose ? "min-h-17" : "min-h-9"}`}>
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
        <More strand={s} take={take} takes={takes} production={production} set={set} />
      </div>
      {s.loose && p && <LooseLine strand={s} take={take} production={production} rate={p.rate} />}
    </li>
  );
}

/** Lets a strand go from its take; puts a mono file into another take, or into one of its own. */
export function More({
  strand: s,
  take,
  takes,
  production,
  set = true,
}: {
  strand: Strand;
  take: Take;
  takes: Take[];
  production: string;
  set?: boolean;
}) {
  const client = useQueryClient();
  const loosen = useLoose(production);
  const move = (to: string) =>
    must(
      api.POST("/api/files/{file}/move", {
        params: { path: { file: s.file } },
        body: to === "off" ? {} : { take: to },
      }),
    ).then(() => client.invalidateQueries({ queryKey: keys.production(production) }), failed);
  const sets = takes.filter(
    (t) => t.id !== take.id && t.strands.every((o) => o.channel === 1) && t.sample_rate === take.sample_rate,
  );
  return (
    <Choice
      aria-label={set ? `Move ${s.file_name}` : `More for strand ${s.position}`}
      title={s.file_name}
      value=""
      onChange={(e) => {
        if (e.target.value === "loose") void loosen(s, !s.loose, 0);
        else if (e.target.value) void move(e.target.value);
      }}
      className="w-6 shrink-0"
    >
      <option value="">…</option>
      <option value="loose">{s.loose ? "Bring it home" : "Let it go from its take"}</option>
      {set && <option value="off">Split off into a take of its own</option>}
      {set &&
        sets.slice(0, 200).map((t) => (
          <option key={t.id} value={t.id}>
            Move to {t.name}
          </option>
        ))}
    </Choice>
  );
}

function Toggle({
  on,
  says,
  title,
  onClick,
  children,
}: {
  on: boolean;
  says: string;
  title: string;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={says}
      title={title}
      onClick={onClick}
      className={`h-7 w-8 shrink-0 border text-small ${on ? "border-focus text-focus" : "border-line text-quiet"}`}
    >
      {children}
    </button>
  );
}

type TextProps = {
  says: string;
  title?: string;
  value: string;
  empty: string;
  list?: string[];
  onSave: (v: string) => void;
  className: string;
};

/** A text that is saved when it is left, or with Enter. */
function Text({ says, title, value, empty, list, onSave, className }: TextProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    if (draft !== null && draft.trim() !== value) onSave(draft.trim());
    setDraft(null);
  };
  return (
    <>
      <TextField
        aria-label={says}
        title={title}
        value={draft ?? value}
        placeholder={empty}
        maxLength={200}
        list={list ? `parts-${says}` : undefined}
        onChange={(e) => setDraft(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setDraft(null);
        }}
        className={`px-1.5 ${className}`}
      />
      {list && draft !== null && (
        <datalist id={`parts-${says}`}>
          {list.map((v) => (
            <option key={v} value={v} />
          ))}
        </datalist>
      )}
    </>
  );
}

/** A figure with its unit, 0 shown as the unit alone. */
function Figure({
  says,
  unit,
  value,
  onSave,
}: {
  says: string;
  unit: string;
  value: number;
  onSave: (v: number) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (field.current && document.activeElement !== field.current) field.current.value = value ? String(value) : "";
  }, [value]);
  const save = () => {
    const v = Number((field.current?.value ?? "").replace(",", ".").replace("−", "-"));
    if (Number.isFinite(v)) onSave(v);
    if (field.current) field.current.value = value ? String(value) : "";
  };
  return (
    <TextField
      ref={field}
      aria-label={says}
      title={says}
      inputMode="decimal"
      defaultValue={value ? String(value) : ""}
      placeholder={unit}
      onFocus={(e) => e.target.select()}
      onBlur={save}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      className="figures w-13 shrink-0 px-1 text-right text-small"
    />
  );
}
