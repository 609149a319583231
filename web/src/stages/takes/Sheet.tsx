import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Schemas, Strand, Take } from "../../api/client";
import { useEditSheet, useProduction } from "../../api/queries";
import { awayInShort, duration, fromHome, plural } from "../../format";
import { note } from "../../ui/notes";
import {
  alongWith,
  type Column,
  columns,
  corners,
  edits,
  fillDown,
  flags,
  knownLabels,
  type Place,
  paste,
  type SheetCell,
  stemAndPart,
  strandAt,
  textAt,
} from "./cells";
import { syncs } from "./syncs";
import { TinyWaves } from "./TinyWaves";
import { readTSV, writeTSV } from "./tsv";

/** A line of the sheet: a take, or the head of a group of takes. */
export type Line = { take: Take } | { group: string; count: number };

type Props = {
  production: string;
  lines: Line[];
  /** The takes among the lines, in order: rows are counted in them. */
  takes: Take[];
  at: Place;
  anchor: Place;
  onMove: (at: Place, anchor: Place) => void;
};

const rowHeight = 32;
const headHeight = 28;
const strandWidth = 112;
const fixed = [
  { column: "scene", title: "Scene", width: 92 },
  { column: "take", title: "Take", width: 84 },
  { column: "roll", title: "Roll", width: 72 },
  { column: "flags", title: "Flags", width: 64 },
  { column: "note", title: "Note", width: 112 },
] as const satisfies { column: Column; title: string; width: number }[];
const lead = 236; // start, length and state, which are not typed
const fixedWidth = fixed.reduce((n, c) => n + c.width, 0);
const gridId = "takes-sheet";

/**
 * The whole shoot, a row a take and a cell a strand. It is typed into directly: arrows move, Shift
 * extends, a letter or Enter begins to type, Ctrl/Cmd D fills down, copying and pasting speak
 * tab-separated text.
 */
export function Sheet({ production, lines, takes, at, anchor, onMove }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const { mutate: edit } = useEditSheet(production);
  const rate = useProduction(production).data?.rate;
  const [aside, setAside] = useState(false); // scene and take are scrolled out of view
  const [draft, setDraft] = useState<string | null>(null); // what is being typed into the cell
  const most = takes.reduce((n, t) => Math.max(n, t.strands.length), 0);
  const width = lead + fixedWidth + most * strandWidth;
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    scrollMargin: headHeight,
    scrollPaddingStart: headHeight,
    overscan: 6,
  });
  const known = useMemo(() => knownLabels(takes), [takes]);
  const rowOf = useMemo(() => new Map(takes.map((t, row) => [t, row])), [takes]);
  const lineOf = useCallback(
    (row: number) => lines.findIndex((l) => "take" in l && l.take === takes[row]),
    [lines, takes],
  );
  useEffect(() => {
    const line = lineOf(at.row);
    if (line >= 0) virtual.scrollToIndex(line, { align: "auto" });
  }, [virtual, lineOf, at.row]);
  useEffect(() => {
    const el = scroller.current;
    if (!el || at.col < columns.length) {
      if (el && at.col === 0) el.scrollLeft = 0;
      return;
    }
    const left = lead + fixedWidth + (at.col - columns.length) * strandWidth;
    if (left + strandWidth > el.scrollLeft + el.clientWidth) el.scrollLeft = left + strandWidth - el.clientWidth;
    else if (left < el.scrollLeft + lead) el.scrollLeft = left - lead;
  }, [at.col]);

  const take = takes[at.row];
  const send = (what: string, cells: SheetCell[]) => {
    if (cells.length > 0) edit({ what, cells });
  };
  const go = (row: number, col: number, extend = false) => {
    const to = {
      row: Math.max(0, Math.min(takes.length - 1, row)),
      col: Math.max(0, Math.min(columns.length + most - 1, col)),
    };
    onMove(to, extend ? anchor : to);
  };
  const done = useRef(true); // leaving the field by a key blurs it as well: what was typed goes once
  if (draft !== null) done.current = false;
  const commit = (down: number, right: number) => {
    if (done.current) return;
    done.current = true;
    if (draft !== null && take) {
      const s = strandAt(take, at.col);
      const label = edits(take, at.col, draft);
      const along = s && label.length > 0 ? alongWith(s, draft, known) : [];
      const going = stemAndPart(known.get(draft.trim()) ?? { stem: "", part: "" });
      send(
        s
          ? `label strand ${s.position} of ${take.name} “${draft.trim()}”${along.length > 0 ? `, ${going}` : ""}`
          : `type the ${columns[at.col]} of ${take.name}`,
        [...label, ...along],
      );
    }
    setDraft(null);
    go(at.row + down, at.col + right);
    scroller.current?.focus();
  };
  const onKey = (e: React.KeyboardEvent) => {
    const mod = e.ctrlKey || e.metaKey;
    if (draft !== null) {
      if (e.key === "Enter") commit(e.shiftKey ? -1 : 1, 0);
      else if (e.key === "Tab") commit(0, e.shiftKey ? -1 : 1);
      else if (e.key === "Escape") {
        done.current = true;
        setDraft(null);
        scroller.current?.focus();
      } else return;
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 300) / rowHeight) - 1);
    const steps: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-page, 0],
      PageDown: [page, 0],
    };
    const step = steps[e.key];
    if (step && !mod) go(at.row + step[0], at.col + step[1], e.shiftKey);
    else if (e.key === "Home") go(mod ? 0 : at.row, 0, e.shiftKey);
    else if (e.key === "End")
      go(mod ? takes.length - 1 : at.row, columns.length + (take?.strands.length ?? 1) - 1, e.shiftKey);
    else if (mod && e.key.toLowerCase() === "d") {
      const cells = fillDown(takes, anchor, at);
      if (corners(anchor, at).top === corners(anchor, at).bottom)
        note("Choose rows with Shift and the arrows first: the top one is filled down.");
      send(`fill ${plural(cells.length, "cell")} down`, cells);
    } else if (mod && e.key.toLowerCase() === "a")
      onMove({ row: takes.length - 1, col: at.col }, { row: 0, col: at.col });
    else if ((e.key === "Delete" || e.key === "Backspace") && !mod) {
      const c = corners(anchor, at);
      send(
        "clear cells",
        takes
          .slice(c.top, c.bottom + 1)
          .flatMap((t) => Array.from({ length: c.right - c.left + 1 }, (_, k) => edits(t, c.left + k, "")).flat()),
      );
    } else if (columns[at.col] === "flags" && !mod && !e.altKey && flags.some((f) => f.key === e.key.toLowerCase())) {
      const f = flags.find((f) => f.key === e.key.toLowerCase());
      const c = corners(anchor, at);
      const rows = takes.slice(c.top, c.bottom + 1);
      const on = !take?.[f?.field ?? "circled"];
      if (f)
        send(
          `${on ? "mark" : "unmark"} ${plural(rows.length, "take")} ${f.name}`,
          rows.filter((t) => t[f.field] !== on).map((t) => ({ row: t.id, field: f.field, value: on, was: t[f.field] })),
        );
    } else if (e.key === "Enter" || e.key === "F2") {
      if (mod || !take || columns[at.col] === "flags") return;
      setDraft(textAt(take, at.col));
    } else if (
      e.key.length === 1 &&
      !mod &&
      !e.altKey &&
      /[\p{L}_("'&]/u.test(e.key) &&
      columns[at.col] !== "flags" &&
      take
    ) {
      if (at.col >= columns.length && !strandAt(take, at.col)) return;
      setDraft(e.key);
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const onCopy = (e: React.ClipboardEvent) => {
    if (draft !== null) return;
    const c = corners(anchor, at);
    const rows = takes
      .slice(c.top, c.bottom + 1)
      .map((t) => Array.from({ length: c.right - c.left + 1 }, (_, k) => textAt(t, c.left + k)));
    e.clipboardData.setData("text/plain", writeTSV(rows));
    e.preventDefault();
  };
  const onPaste = (e: React.ClipboardEvent) => {
    if (draft !== null) return;
    const cells = paste(takes, anchor, at, readTSV(e.clipboardData.getData("text/plain")));
    send(`paste ${plural(cells.length, "cell")}`, cells);
    e.preventDefault();
  };
  const c = corners(anchor, at);
  return (
    // Keys, copying and pasting belong to the grid as a whole: its cells are reached by the arrows.
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      data-sheet
      aria-label="Takes"
      aria-rowcount={takes.length}
      aria-multiselectable="true"
      aria-activedescendant={take ? `${gridId}-${at.row}-${at.col}` : undefined}
      onScroll={(e) => setAside(e.currentTarget.scrollLeft > fixed[0].width)}
      onKeyDown={onKey}
      onCopy={onCopy}
      onPaste={onPaste}
      className="h-[46%] min-h-44 shrink-0 overflow-auto -outline-offset-2"
    >
      {draft !== null && (
        <datalist id={`${gridId}-labels`}>
          {[...known].slice(0, 200).map(([label, k]) => (
            <option key={label} value={label} label={stemAndPart(k)} />
          ))}
        </datalist>
      )}
      <div
        role="row"
        tabIndex={-1}
        className="sticky top-0 z-20 flex h-7 items-center border-line border-b bg-ground text-quiet text-small"
        style={{ width }}
      >
        <span
          role="columnheader"
          tabIndex={-1}
          className="sticky left-0 z-10 flex h-full shrink-0 items-center bg-ground pl-3"
          style={{ width: lead }}
        >
          <span className="w-[88px]">{aside ? "Take" : "Start"}</span>
          <span className="w-14 pr-2 text-right">Length</span>
          State
        </span>
        {fixed.map((f) => (
          <span role="columnheader" tabIndex={-1} key={f.column} className="shrink-0 px-1.5" style={{ width: f.width }}>
            {f.title}
          </span>
        ))}
        {Array.from({ length: most }, (_, i) => (
          <span
            role="columnheader"
            tabIndex={-1}
            key={i}
            className="figures shrink-0 px-1.5"
            style={{ width: strandWidth }}
          >
            Strand {i + 1}
          </span>
        ))}
      </div>
      {/* One sticky column for all rows: a sticky head in each would cost scrolling its smoothness. */}
      <div aria-hidden="true" className="sticky left-0 z-[5] h-0" style={{ width: lead }}>
        {virtual.getVirtualItems().map((v) => {
          const line = lines[v.index];
          if (!line || "group" in line) return null;
          return (
            <Lead
              key={line.take.id}
              take={line.take}
              y={v.start - headHeight}
              active={rowOf.get(line.take) === at.row}
              aside={aside}
            />
          );
        })}
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize(), width }}>
        {virtual.getVirtualItems().map((v) => {
          const line = lines[v.index];
          if (!line) return null;
          if ("group" in line) {
            return (
              <div
                role="row"
                tabIndex={-1}
                key={`group ${line.group}`}
                className="absolute flex h-8 w-full items-center"
                style={{ top: v.start - headHeight }}
              >
                <span role="gridcell" tabIndex={-1} className="sticky left-0 px-3 font-semibold text-quiet">
                  {line.group} <span className="figures font-normal text-small">{plural(line.count, "take")}</span>
                </span>
              </div>
            );
          }
          const row = rowOf.get(line.take) ?? -1;
          const inside = row >= c.top && row <= c.bottom;
          return (
            <Row
              key={line.take.id}
              take={line.take}
              rate={rate}
              row={row}
              y={v.start - headHeight}
              active={row === at.row ? at.col : -1}
              left={inside ? c.left : -1}
              right={inside ? c.right : -1}
              draft={row === at.row ? draft : null}
              onDraft={setDraft}
              onBlur={commit}
              onPick={(col, extend) => {
                onMove({ row, col }, extend ? anchor : { row, col });
                scroller.current?.focus();
              }}
              onOpen={(col) => setDraft(columns[col] === "flags" ? null : textAt(line.take, col))}
            />
          );
        })}
      </div>
    </div>
  );
}

/** What the sticky column shows of a take, in words. */
function leadWords(t: Take): string {
  return [t.start_timecode || "no start", duration(t.frames, t.sample_rate), stateOf(t).says, syncs[t.sync].says]
    .filter(Boolean)
    .join(", ");
}

type LeadProps = { take: Take; y: number; active: boolean; aside: boolean };

/** Start, or name where that is scrolled away, length and state of a take: always in view. */
const Lead = memo(function Lead({ take: t, y, active, aside }: LeadProps) {
  const state = stateOf(t);
  return (
    <div
      className={`absolute flex h-8 items-center border-line border-r border-b pl-3 [contain:layout_style_paint] ${active ? "bg-panel" : "bg-ground"}`}
      style={{ top: y, width: lead }}
    >
      {aside ? (
        <span className="w-[88px] truncate pr-2">{t.name}</span>
      ) : (
        <span className="figures w-[88px] text-quiet text-small">{t.start_timecode || "no start"}</span>
      )}
      <span className="figures w-14 pr-2 text-right text-quiet text-small">{duration(t.frames, t.sample_rate)}</span>
      <span className={`w-3 shrink-0 text-small ${syncs[t.sync].look}`} title={syncs[t.sync].says}>
        {syncs[t.sync].mark}
      </span>
      <span className={`truncate text-small ${state.look}`} title={state.why}>
        {state.says}
      </span>
    </div>
  );
});

type RowProps = {
  take: Take;
  rate: Schemas["Rate"] | undefined;
  row: number;
  y: number;
  active: number;
  left: number;
  right: number;
  draft: string | null;
  onDraft: (text: string) => void;
  onBlur: (down: number, right: number) => void;
  onPick: (col: number, extend: boolean) => void;
  onOpen: (col: number) => void;
};

const Row = memo(
  function Row({ take: t, rate, row, y, active, left, right, draft, onDraft, onBlur, onPick, onOpen }: RowProps) {
    const cell = (col: number, width: number, says: string, look: string, content: React.ReactNode) => (
      // biome-ignore lint/a11y/useKeyWithClickEvents: keys belong to the grid
      <span
        key={col}
        id={`${gridId}-${row}-${col}`}
        role="gridcell"
        tabIndex={-1}
        aria-label={says}
        aria-selected={col >= left && col <= right && left >= 0}
        onClick={(e) => onPick(col, e.shiftKey)}
        onDoubleClick={() => onOpen(col)}
        className={`relative h-full shrink-0 cursor-cell border-line/60 border-r ${col >= left && col <= right && left >= 0 ? "bg-raised" : ""} ${col === active ? "outline-2 outline-focus -outline-offset-2 outline-solid" : ""} ${look}`}
        style={{ width }}
      >
        {col === active && draft !== null ? (
          <input
            // biome-ignore lint/a11y/noAutofocus: typing begins here
            autoFocus
            data-cell-field
            list={col >= columns.length ? `${gridId}-labels` : undefined}
            aria-label={says}
            value={draft}
            maxLength={col >= columns.length ? 200 : 1000}
            onChange={(e) => onDraft(e.target.value)}
            onBlur={() => onBlur(0, 0)}
            className="absolute inset-0 z-10 w-full bg-ground px-1.5"
          />
        ) : (
          content
        )}
      </span>
    );
    return (
      <div
        role="row"
        tabIndex={-1}
        aria-rowindex={row + 1}
        aria-label={`Take ${t.name}`}
        className={`absolute flex h-8 w-full items-center border-line/40 border-b [contain:layout_style_paint] ${active >= 0 ? "bg-panel" : ""}`}
        style={{ top: y }}
      >
        <span
          role="rowheader"
          tabIndex={-1}
          aria-label={leadWords(t)}
          className="h-full shrink-0"
          style={{ width: lead }}
        />
        <TinyWaves strands={t.strands} left={lead + fixedWidth} width={strandWidth} />
        {fixed.map((f, col) => {
          const text = textAt(t, col);
          const was = f.column === "scene" ? t.scene_was : f.column === "take" ? t.take_was : text;
          const says = `${f.title} of take ${t.name}: ${text || "empty"}`;
          return cell(
            col,
            f.width,
            says,
            "",
            f.column === "flags" ? (
              <Flags take={t} />
            ) : (
              <span
                className="block truncate px-1.5 leading-8"
                title={was !== text ? `${text}, recorded as ${was || "nothing"}` : text}
              >
                {text || (f.column === "scene" && !t.take ? <span className="text-quiet">{t.name}</span> : "")}
                {was !== text && <span className="text-focus"> *</span>}
              </span>
            ),
          );
        })}
        {t.strands.map((s, i) =>
          cell(
            columns.length + i,
            strandWidth,
            `Label of strand ${s.position} of take ${t.name}: ${s.label || "no label"}`,
            s.off ? "opacity-60" : "",
            <StrandCell strand={s} take={t} rate={rate} />,
          ),
        )}
      </div>
    );
  },
  (a, b) =>
    a.take === b.take &&
    a.rate === b.rate &&
    a.row === b.row &&
    a.y === b.y &&
    a.active === b.active &&
    a.left === b.left &&
    a.right === b.right &&
    a.draft === b.draft,
);

function StrandCell({ strand: s, take, rate }: { strand: Strand; take: Take; rate: Schemas["Rate"] | undefined }) {
  const away =
    s.loose && rate
      ? { short: awayInShort(s.shift, take.sample_rate, rate), says: fromHome(s.shift, take.sample_rate, rate) }
      : null;
  const look = s.off ? "text-quiet line-through" : s.label ? "" : s.silent ? "text-quiet" : "text-caution";
  return (
    <>
      {s.stem && (
        <span
          className="absolute inset-y-1 left-0 w-1"
          style={{ background: `var(--${s.stem.toLowerCase()}, var(--quiet))` }}
        />
      )}
      <span
        className={`absolute inset-x-1.5 inset-y-0 truncate leading-8 ${look}`}
        title={[s.label, s.part, s.off && "off", away?.says].filter(Boolean).join(", ")}
      >
        {away && <span className="figures text-caution">{away.short} </span>}
        {s.label || (s.silent ? "empty" : "no label")}
      </span>
    </>
  );
}

function Flags({ take: t }: { take: Take }) {
  return (
    <span className="figures flex h-full items-center gap-1 px-1.5 text-small">
      {flags
        .filter((f) => t[f.field])
        .map((f) => (
          <abbr
            key={f.field}
            title={f.name}
            className={`no-underline ${f.field === "circled" ? "text-good" : "text-caution"}`}
          >
            {f.short}
          </abbr>
        ))}
    </span>
  );
}

/** How far a take is, what stands in its way first. */
function stateOf(t: Take): { says: string; look: string; why?: string } {
  const why = t.snags.map((s) => s.message).join("; ");
  if (!t.final) return { says: "proposed", look: "text-caution", why };
  if (t.snags.length > 0) return { says: plural(t.snags.length, "snag"), look: "text-caution", why };
  if (t.suggestions.length > 0) return { says: plural(t.suggestions.length, "hint"), look: "text-focus" };
  return { says: t.in_reel ? "in reel" : "", look: "text-quiet" };
}
