import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Schemas, Strand, Take } from "../../api/client";
import { useEditSheet, useProduction } from "../../api/queries";
import { awayInShort, duration, fromHome, plural } from "../../format";
import { Handle } from "../../ui/Handle";
import { note } from "../../ui/notes";
import { useRoom } from "../../ui/room";
import { useSizes } from "../../ui/sizes";
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
import type { Line } from "./order";
import { syncs } from "./syncs";
import { TinyWaves } from "./TinyWaves";
import { readTSV, writeTSV } from "./tsv";

type Props = {
  production: string;
  lines: Line[];
  /** The takes among the lines, in order: rows are counted in them. */
  takes: Take[];
  at: Place;
  anchor: Place;
  onMove: (at: Place, anchor: Place) => void;
  /** Rows are as high as their waveforms can be looked at. */
  tall: boolean;
  /** Height of the sheet in pixels. */
  height: number;
};

const headHeight = 28;
const groupHeight = 28;
const textHeight = 20; // of a cell: its words have a place of their own, above the waveform
const fixed = [
  { column: "scene", title: "Scene", width: 92 },
  { column: "take", title: "Take", width: 84 },
  { column: "roll", title: "Roll", width: 72 },
  { column: "flags", title: "Flags", width: 64 },
  { column: "note", title: "Note", width: 112 },
] as const satisfies { column: Column; title: string; width: number }[];
const leading = [
  { key: "start", title: "Start", width: 96 },
  { key: "length", title: "Length", width: 56 },
  { key: "state", title: "State", width: 88 },
] as const;
const rowHead = 30; // chooses a row
const markWidth = 14; // of the mark of lining up
const narrowest = 104; // of a strand, where nobody has said otherwise
const widest = 240;
const defaults = {
  ...Object.fromEntries(leading.map((c) => [c.key, c.width])),
  ...Object.fromEntries(fixed.map((c) => [c.column, c.width])),
  strand: narrowest,
} as Record<(typeof leading)[number]["key"] | (typeof fixed)[number]["column"] | "strand", number>;
const gridId = "takes-sheet";

/**
 * The whole shoot, a row a take and a cell a strand. It is typed into directly: arrows move, Shift
 * extends, a letter or Enter begins to type, Ctrl/Cmd D fills down, copying and pasting speak
 * tab-separated text.
 */
export function Sheet({ production, lines, takes, at, anchor, onMove, tall, height }: Props) {
  const { sizes, own, resize } = useSizes("takes", defaults);
  const rowHeight = tall ? 76 : 42;
  const scroller = useRef<HTMLDivElement>(null);
  const room = useRoom(scroller, "clientWidth");
  const grid = useRef<HTMLDivElement>(null);
  const { mutate: edit } = useEditSheet(production);
  const rate = useProduction(production).data?.rate;
  const [aside, setAside] = useState(false); // scene and take are scrolled out of view
  const [draft, setDraft] = useState<string | null>(null); // what is being typed into the cell
  const most = takes.reduce((n, t) => Math.max(n, t.strands.length), 0);
  const lead = rowHead + markWidth + leading.reduce((n, c) => n + sizes[c.key], 0);
  const fixedWidth = fixed.reduce((n, c) => n + sizes[c.column], 0);
  // Where nobody has said how wide, strands share the room there is.
  const shared = Math.floor((room - lead - fixedWidth) / Math.max(1, most));
  const strandWidth = own.strand ?? Math.max(narrowest, Math.min(widest, shared));
  const width = Math.max(room, lead + fixedWidth + most * strandWidth);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => {
      const line = lines[i];
      return line && "group" in line ? groupHeight : rowHeight;
    },
    scrollMargin: headHeight,
    scrollPaddingStart: headHeight,
    overscan: 6,
  });
  const typing = draft !== null;
  const known = useMemo(
    () => (typing ? knownLabels(takes) : new Map()) as ReturnType<typeof knownLabels>,
    [takes, typing],
  );
  const rowOf = useMemo(() => new Map(takes.map((t, row) => [t, row])), [takes]);
  const lineOf = useCallback(
    (row: number) => lines.findIndex((l) => "take" in l && l.take === takes[row]),
    [lines, takes],
  );
  useEffect(() => virtual.measure(), [virtual, rowHeight, lines]);
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
  }, [at.col, lead, fixedWidth, strandWidth]);

  const take = takes[at.row];
  // By its head a row is chosen, with Shift all up to it, by dragging all that are passed.
  const state = useRef({ at, anchor, onMove });
  state.current = { at, anchor, onMove };
  const chooseRow = useCallback((row: number, extend: boolean) => {
    const now = state.current;
    now.onMove({ row, col: now.at.col }, extend ? { row: now.anchor.row, col: now.at.col } : { row, col: now.at.col });
    grid.current?.focus({ preventScroll: true });
  }, []);
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
    grid.current?.focus({ preventScroll: true });
  };
  const onKey = (e: React.KeyboardEvent) => {
    const mod = e.ctrlKey || e.metaKey;
    if (draft !== null) {
      if (e.key === "Enter") commit(e.shiftKey ? -1 : 1, 0);
      else if (e.key === "Tab") commit(0, e.shiftKey ? -1 : 1);
      else if (e.key === "Escape") {
        done.current = true;
        setDraft(null);
        grid.current?.focus({ preventScroll: true });
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
    <div
      ref={scroller}
      onScroll={(e) => setAside(e.currentTarget.scrollLeft > fixed[0].width)}
      className="min-h-32 shrink-0 overflow-auto"
      style={{ height }}
    >
      <div style={{ width }}>
        {/* One sticky column for all rows: a sticky head in each would cost scrolling its smoothness. It is no part of
          the grid, whose cells say the same in words. */}
        <div className="sticky left-0 z-[5] h-0" style={{ width: lead }}>
          {virtual.getVirtualItems().map((v) => {
            const line = lines[v.index];
            if (!line || "group" in line) return null;
            return (
              <Lead
                key={line.take.id}
                take={line.take}
                y={v.start}
                row={rowOf.get(line.take) ?? -1}
                height={rowHeight}
                width={lead}
                start={sizes.start}
                length={sizes.length}
                active={rowOf.get(line.take) === at.row}
                chosen={(rowOf.get(line.take) ?? -1) >= c.top && (rowOf.get(line.take) ?? -1) <= c.bottom}
                aside={aside}
                onChoose={chooseRow}
              />
            );
          })}
        </div>
        {/* Keys, copying and pasting belong to the grid as a whole: its cells are reached by the arrows. */}
        <div
          ref={grid}
          role="grid"
          tabIndex={0}
          data-sheet
          aria-label="Takes"
          aria-rowcount={takes.length}
          aria-multiselectable="true"
          aria-activedescendant={take ? `${gridId}-${at.row}-${at.col}` : undefined}
          onKeyDown={onKey}
          onCopy={onCopy}
          onPaste={onPaste}
          className="outline-none" // the cell of the cursor shows where the focus is
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
            <div className="sticky left-0 z-10 flex h-full shrink-0 items-center bg-ground" style={{ width: lead }}>
              <span
                role="columnheader"
                tabIndex={-1}
                className="flex h-full shrink-0 items-center justify-center"
                style={{ width: rowHead }}
              >
                <button
                  type="button"
                  aria-label={
                    c.top === 0 && c.bottom === takes.length - 1
                      ? "Choose only the take of the cursor"
                      : "Choose all takes"
                  }
                  title={`${plural(c.bottom - c.top + 1, "take")} chosen. Click for all, or for one; Shift and a click on another row's head choose those between`}
                  onClick={() => {
                    const all = c.top === 0 && c.bottom === takes.length - 1;
                    onMove(all ? at : { row: takes.length - 1, col: at.col }, all ? at : { row: 0, col: at.col });
                    grid.current?.focus({ preventScroll: true });
                  }}
                  className="figures h-6 min-w-6 px-0.5 hover:bg-raised hover:text-ink"
                >
                  {c.bottom - c.top + 1}
                </button>
              </span>
              {leading.map((f) => (
                <span
                  role="columnheader"
                  tabIndex={-1}
                  key={f.key}
                  className={`relative flex h-full shrink-0 items-center ${f.key === "length" ? "justify-end pr-3" : ""}`}
                  style={{
                    width: sizes[f.key] + (f.key === "state" ? markWidth : 0),
                    paddingLeft: f.key === "state" ? markWidth : undefined,
                  }}
                >
                  {f.key === "start" && aside ? "Take" : f.title}
                  <Handle
                    of="column"
                    label={`Width of ${f.title.toLowerCase()}`}
                    value={sizes[f.key]}
                    min={40}
                    max={400}
                    onChange={(v) => resize(f.key, v)}
                    className="absolute inset-y-1 right-0"
                  />
                </span>
              ))}
            </div>
            {fixed.map((f) => (
              <span
                role="columnheader"
                tabIndex={-1}
                key={f.column}
                className="relative flex h-full shrink-0 items-center px-1.5"
                style={{ width: sizes[f.column] }}
              >
                {f.title}
                <Handle
                  of="column"
                  label={`Width of ${f.title.toLowerCase()}`}
                  value={sizes[f.column]}
                  min={40}
                  max={600}
                  onChange={(v) => resize(f.column, v)}
                  className="absolute inset-y-1 right-0"
                />
              </span>
            ))}
            {Array.from({ length: most }, (_, i) => (
              <span
                role="columnheader"
                tabIndex={-1}
                key={i}
                className="figures relative flex h-full shrink-0 items-center px-1.5"
                style={{ width: strandWidth }}
              >
                Strand {i + 1}
                <Handle
                  of="column"
                  label="Width of strands"
                  value={strandWidth}
                  min={64}
                  max={480}
                  onChange={(v) => resize("strand", v)}
                  className="absolute inset-y-1 right-0"
                />
              </span>
            ))}
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
                    className="absolute flex w-full items-center"
                    style={{ top: v.start - headHeight, height: groupHeight }}
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
                  height={rowHeight}
                  lead={lead}
                  widths={sizes}
                  strandWidth={strandWidth}
                  onDraft={setDraft}
                  onBlur={commit}
                  onPick={(col, extend) => {
                    onMove({ row, col }, extend ? anchor : { row, col });
                    grid.current?.focus({ preventScroll: true });
                  }}
                  onOpen={(col) => setDraft(columns[col] === "flags" ? null : textAt(line.take, col))}
                />
              );
            })}
          </div>
        </div>
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

type LeadProps = {
  take: Take;
  y: number;
  row: number;
  height: number;
  width: number;
  start: number;
  length: number;
  active: boolean;
  chosen: boolean;
  aside: boolean;
  onChoose: (row: number, extend: boolean) => void;
};

/** The head that chooses a take; start, or name where that is scrolled away, length and state: always in view. */
const Lead = memo(function Lead({
  take: t,
  y,
  row,
  height,
  width,
  start,
  length,
  active,
  chosen,
  aside,
  onChoose,
}: LeadProps) {
  const state = stateOf(t);
  return (
    <div
      className={`absolute flex items-center border-line border-r border-b [contain:layout_style_paint] ${active ? "bg-panel" : "bg-ground"}`}
      style={{ top: y, width, height }}
    >
      <button
        type="button"
        tabIndex={-1}
        aria-label={`Choose take ${t.name}`}
        aria-pressed={chosen}
        onPointerDown={(e) => e.button === 0 && onChoose(row, e.shiftKey)}
        onMouseDown={(e) => e.preventDefault()} // the sheet keeps the keys
        onClick={(e) => e.detail === 0 && onChoose(row, e.shiftKey)} // pressed by what is no pointer
        onPointerEnter={(e) => e.buttons === 1 && onChoose(row, true)}
        className={`figures mr-1.5 h-full shrink-0 cursor-pointer text-center text-small ${chosen ? "bg-focus/25 text-ink" : "text-quiet hover:bg-raised"}`}
        style={{ width: rowHead - 6 }}
      >
        {row + 1}
      </button>
      {aside ? (
        <span className="shrink-0 truncate pr-2" title={t.name} style={{ width: start }}>
          {t.name}
        </span>
      ) : (
        <span className="figures shrink-0 truncate text-quiet text-small" style={{ width: start }}>
          {t.start_timecode || <span className="text-caution">no start</span>}
        </span>
      )}
      <span className="figures shrink-0 pr-3 text-right text-quiet text-small" style={{ width: length }}>
        {duration(t.frames, t.sample_rate)}
      </span>
      <span
        className={`shrink-0 text-small ${syncs[t.sync].look}`}
        style={{ width: markWidth }}
        title={syncs[t.sync].says}
      >
        {syncs[t.sync].mark}
      </span>
      <span
        className={`min-w-0 truncate text-small ${state.look}`}
        title={[state.says, state.why].filter(Boolean).join(": ")}
      >
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
  height: number;
  lead: number;
  widths: typeof defaults;
  strandWidth: number;
  onDraft: (text: string) => void;
  onBlur: (down: number, right: number) => void;
  onPick: (col: number, extend: boolean) => void;
  onOpen: (col: number) => void;
};

const Row = memo(
  function Row({
    take: t,
    rate,
    row,
    y,
    active,
    left,
    right,
    draft,
    height,
    lead,
    widths,
    strandWidth,
    onDraft,
    onBlur,
    onPick,
    onOpen,
  }: RowProps) {
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
        className={`absolute flex w-full items-center border-line/40 border-b [contain:layout_style_paint] ${active >= 0 ? "bg-panel" : ""}`}
        style={{ top: y, height }}
      >
        <span
          role="rowheader"
          tabIndex={-1}
          aria-label={leadWords(t)}
          className="h-full shrink-0"
          style={{ width: lead }}
        />
        <TinyWaves
          strands={t.strands}
          left={lead + fixed.reduce((n, f) => n + widths[f.column], 0)}
          width={strandWidth}
          top={textHeight}
          height={height - textHeight - 3}
        />
        {fixed.map((f, col) => {
          const text = textAt(t, col);
          const was = f.column === "scene" ? t.scene_was : f.column === "take" ? t.take_was : text;
          const says = `${f.title} of take ${t.name}: ${text || "empty"}`;
          // The name of what has neither scene nor take runs on over the cells beside it.
          const run = f.column === "scene" && !t.scene && !t.take;
          return cell(
            col,
            widths[f.column],
            says,
            "",
            f.column === "flags" ? (
              <Flags take={t} />
            ) : (
              <span
                className={`absolute inset-y-0 left-0 flex items-center px-1.5 ${run ? "pointer-events-none z-[1]" : "right-0"}`}
                style={run ? { width: widths.scene + widths.take + (t.roll ? 0 : widths.roll) } : undefined}
                title={was !== text ? `${text}, recorded as ${was || "nothing"}` : text || t.name}
              >
                <span className={`truncate ${run ? "text-quiet" : ""}`}>{text || (run ? t.name : "")}</span>
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
            "",
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
    a.draft === b.draft &&
    a.height === b.height &&
    a.lead === b.lead &&
    a.widths === b.widths &&
    a.strandWidth === b.strandWidth,
);

function StrandCell({ strand: s, take, rate }: { strand: Strand; take: Take; rate: Schemas["Rate"] | undefined }) {
  const away =
    s.loose && rate
      ? { short: awayInShort(s.shift, take.sample_rate, rate), says: fromHome(s.shift, take.sample_rate, rate) }
      : null;
  const look = s.off ? "text-quiet" : s.label ? "" : s.silent ? "text-quiet" : "text-caution";
  return (
    <>
      {s.stem && (
        <span
          className="absolute inset-y-1 left-0 w-1"
          style={{ background: `var(--${s.stem.toLowerCase()}, var(--quiet))` }}
        />
      )}
      <span
        className={`absolute inset-x-1.5 top-0.5 flex items-center gap-1 leading-5 ${look}`}
        title={[s.label, s.part, s.off && "off", away?.says].filter(Boolean).join(", ")}
      >
        {away && <span className="figures shrink-0 text-caution">{away.short}</span>}
        <span className="truncate">{s.label || (s.silent ? "empty" : "no label")}</span>
        {s.off && <span className="ml-auto shrink-0 border border-line px-1 text-small leading-4">off</span>}
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
