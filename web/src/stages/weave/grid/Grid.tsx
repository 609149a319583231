import { memo, type ReactNode, useCallback, useId, useRef, useState } from "react";
import type { Bus } from "../../../api/client";
import { note, wrong } from "../../../ui/notes";
import { colourOf, weaveOf } from "../../../ui/stems";
import { writeTSV } from "../../../ui/tsv";
import { Crossing } from "../Crossing";
import { corners, filled, type Put, pasted, readLevel, type Spot, writeLevel } from "./cells";
import { scroller, useInView } from "./useInView";

/** px */
const rowHeight = 28;
const headHeight = 40;

export type Row = {
  key: string;
  /** What the row is called where its head is not drawn in words. */
  name?: string;
  on: boolean;
};

export type Column = {
  key: string;
  name: string;
  /** In little, where there is less room than the name takes. */
  short?: string;
  bus: Bus | undefined;
  /** Of what can be folded: whether it is, and what turns that. */
  fold?: { folded: boolean; turn: () => void };
  onHead?: () => void;
};

export type Cell = {
  /** The factor at the crossing; of a moving one at rest. */
  value: number;
  label: string;
  bus: Bus | undefined;
  off?: boolean;
  moving?: boolean;
  /** Nothing can be put there. */
  none?: boolean;
};

type Props = {
  label: string;
  corner: ReactNode;
  headWidth: number;
  colWidth: number;
  rows: Row[];
  columns: Column[];
  /** Rows are drawn anew where one of these is another than before, or where the cursor moves: what heads and cells are of. */
  of: readonly unknown[];
  head: (row: number) => ReactNode;
  cell: (row: number, col: number) => Cell;
  /** A click or Enter on a cell: Space is for playing. */
  press: (at: Spot) => void;
  /**
   * Levels that were typed, filled down, pasted or cleared; without, the grid is read only. They are shown at once, until done is
   * called: what is put stands, or was refused.
   */
  put?: (cells: Put[], what: string, done: () => void) => void;
  onRow?: (row: number) => void;
};

/**
 * A grid of crossings: its heads stay in place, only what is in view is drawn, the cursor is moved by the arrow keys; levels are typed
 * into cells, filled down (Ctrl D), copied and pasted as a table.
 */
export function Grid({ label, corner, headWidth, colWidth, rows, columns, of, head, cell, press, put, onRow }: Props) {
  const grid = useRef<HTMLDivElement>(null);
  const id = useId();
  const [at, setAt] = useState<Spot | null>(null);
  const [anchor, setAnchor] = useState<Spot>({ row: 0, col: 0 });
  const [draft, setText] = useState<string | null>(null);
  const typing = useRef(false);
  const setDraft = useCallback((text: string | null) => {
    typing.current = text !== null;
    setText(text);
  }, []);
  const view = useInView({ grid, rows: rows.length, cols: columns.length, rowHeight, colWidth, headHeight, headWidth });
  const cursor = at && { row: Math.min(at.row, rows.length - 1), col: Math.min(at.col, columns.length - 1) };
  const chosen = cursor && corners(cursor, anchor);

  const go = (to: Spot, extend: boolean) => {
    const next = {
      row: Math.max(0, Math.min(rows.length - 1, to.row)),
      col: Math.max(0, Math.min(columns.length - 1, to.col)),
    };
    setAt(next);
    if (!extend) setAnchor(next);
    onRow?.(next.row);
    reveal(grid.current, {
      left: next.col * colWidth,
      top: next.row * rowHeight,
      width: colWidth,
      headWidth,
    });
  };
  const [onTheirWay, setOnTheirWay] = useState<ReadonlyMap<string, number | null>>(none);
  const level = (s: Spot) => {
    const db = onTheirWay.get(spotKey(s));
    return db !== undefined ? db : (readLevel(writeLevel(cell(s.row, s.col).value)) ?? null);
  };
  const say = (cells: Put[], what: string) => {
    const some = cells.filter((c) => !cell(c.row, c.col).none);
    if (some.length === 0 || !put) return;
    setOnTheirWay((was) => new Map([...was, ...some.map((c) => [spotKey(c), c.db] as const)]));
    put(some, `${what} ${some.length === 1 ? "a level" : `${some.length} levels`}`, () => setOnTheirWay(none));
  };
  const keep = () => {
    if (draft === null || !cursor || !chosen || !typing.current) return;
    typing.current = false; // what is taken away loses the focus, too
    const db = readLevel(draft);
    if (db === undefined) wrong("Level", `“${draft}” is no level from −96 to 24 dB.`);
    else
      say(
        every(chosen, () => db),
        "type",
      );
    setDraft(null);
    grid.current?.focus({ preventScroll: true });
  };
  const onKeyDown = (e: React.KeyboardEvent) => {
    const target = e.target as HTMLElement;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName) && !target.dataset.draft) return;
    if (target.dataset.draft) {
      if (e.key === "Enter" || e.key === "Tab") {
        keep();
        if (cursor)
          go(e.key === "Enter" ? { ...cursor, row: cursor.row + 1 } : { ...cursor, col: cursor.col + 1 }, false);
      } else if (e.key === "Escape") {
        setDraft(null);
        grid.current?.focus({ preventScroll: true });
      } else return;
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    const mod = e.ctrlKey || e.metaKey;
    const c = cursor ?? { row: 0, col: 0 };
    const to: Record<string, Spot> = {
      ArrowUp: { ...c, row: c.row - 1 },
      ArrowDown: { ...c, row: c.row + 1 },
      ArrowLeft: { ...c, col: c.col - 1 },
      ArrowRight: { ...c, col: c.col + 1 },
      PageUp: { ...c, row: c.row - 10 },
      PageDown: { ...c, row: c.row + 10 },
      Home: { row: mod ? 0 : c.row, col: 0 },
      End: { row: mod ? rows.length - 1 : c.row, col: columns.length - 1 },
    };
    const next = to[e.key];
    if (next && !e.altKey && (!mod || e.key === "Home" || e.key === "End"))
      go(cursor ? next : c, e.shiftKey && !!cursor);
    else if (!cursor || !chosen) return;
    else if (e.key === "Enter" && !mod) press(cursor);
    else if (!put) return;
    else if (e.key === "F2") setDraft(writeLevel(cell(cursor.row, cursor.col).value));
    else if (/^[\d.,−-]$/.test(e.key) && !mod && !e.altKey) setDraft(e.key);
    else if ((e.key === "Delete" || e.key === "Backspace") && !mod)
      say(
        every(chosen, () => null),
        "clear",
      );
    else if (mod && e.key.toLowerCase() === "d") {
      const cells = filled(anchor, cursor, level);
      if (cells.length === 0) note("Choose rows with Shift and the arrows first: the top one is filled down.");
      else say(cells, "fill down");
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const onCopy = (e: React.ClipboardEvent) => {
    if (!chosen || (e.target as HTMLElement).tagName === "INPUT") return;
    const lines = Array.from({ length: chosen.bottom - chosen.top + 1 }, (_, i) =>
      Array.from({ length: chosen.right - chosen.left + 1 }, (_, k) =>
        writeLevel(cell(chosen.top + i, chosen.left + k).value),
      ),
    );
    e.clipboardData.setData("text/plain", writeTSV(lines));
    e.preventDefault();
  };
  const onPaste = (e: React.ClipboardEvent) => {
    if (!cursor || !put || (e.target as HTMLElement).tagName === "INPUT") return;
    const cells = pasted(e.clipboardData.getData("text/plain"), anchor, cursor, rows.length, columns.length);
    if (typeof cells === "string") wrong("Pasting", cells);
    else say(cells, "paste");
    e.preventDefault();
  };
  const spot = (target: EventTarget | null): Spot | null => {
    const td = (target as HTMLElement | null)?.closest?.("[data-col]");
    return td instanceof HTMLElement ? { row: Number(td.dataset.row), col: Number(td.dataset.col) } : null;
  };
  const drawn = columns.slice(view.left, view.right);
  return (
    // Not a table: rows that contain themselves are laid out one by one, which those of a table are not.
    <div
      ref={grid}
      role="grid"
      tabIndex={0}
      aria-label={label}
      aria-rowcount={rows.length + 1}
      aria-colcount={columns.length + 1}
      aria-readonly={!put}
      aria-activedescendant={cursor ? `${id}-${cursor.row}-${cursor.col}` : undefined}
      className="outline-none focus-visible:outline focus-visible:outline-focus"
      style={{ width: headWidth + colWidth * columns.length }}
      onKeyDown={onKeyDown}
      onCopy={onCopy}
      onPaste={onPaste}
      onFocus={(e) => {
        if (e.target !== grid.current || at || !grid.current.matches(":focus-visible")) return;
        const row = Math.max(
          0,
          rows.findIndex((r) => r.on),
        );
        setAt({ row, col: 0 });
        setAnchor({ row, col: 0 });
      }}
      // The grid itself keeps the focus: a crossing that had it would take Space, and where a choice with Shift began. Who presses
      // a head is in no cell: the keys of the stage are his.
      onMouseDown={(e) => {
        if (!spot(e.target)) setAt(null);
        else if ((e.target as HTMLElement).tagName !== "INPUT") e.preventDefault();
      }}
      onClick={(e) => {
        const on = spot(e.target);
        if (!on) return;
        grid.current?.focus({ preventScroll: true });
        if (e.shiftKey && cursor) {
          setAt(on);
          return;
        }
        setAt(on);
        setAnchor(on);
        onRow?.(on.row);
        press(on);
      }}
    >
      {/* biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus */}
      <div
        role="row"
        aria-rowindex={1}
        className="sticky top-0 z-20 flex bg-ground pt-1"
        style={{ height: headHeight }}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus */}
        <div
          role="columnheader"
          className="sticky left-0 z-10 flex shrink-0 items-center bg-ground pl-4 text-quiet"
          style={{ width: headWidth }}
        >
          {corner}
        </div>
        <Gap columns={view.left} width={colWidth} />
        {drawn.map((c) => (
          // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus
          <div
            key={c.key}
            role="columnheader"
            title={c.name}
            className="shrink-0 pt-1 text-center text-small"
            style={{ width: colWidth, color: colourOf(c.bus) }}
          >
            <HeadOf column={c} wide={colWidth > 60} />
          </div>
        ))}
      </div>
      <div style={{ height: view.top * rowHeight }} />
      {rows.slice(view.top, view.bottom).map((r, i) => {
        const row = view.top + i;
        const within = chosen !== null && row >= chosen.top && row <= chosen.bottom;
        return (
          <GridRow
            key={r.key}
            id={id}
            row={row}
            name={r.name}
            on={r.on}
            columns={drawn}
            left={view.left}
            of={of}
            onTheirWay={onTheirWay}
            head={head}
            cell={cell}
            headWidth={headWidth}
            colWidth={colWidth}
            from={within ? chosen.left : -1}
            to={within ? chosen.right : -1}
            cursor={cursor?.row === row ? cursor.col : -1}
            draft={cursor?.row === row ? draft : null}
            onDraft={setDraft}
            onLeave={draft === null ? undefined : keep}
            onRow={onRow}
          />
        );
      })}
      <div style={{ height: (rows.length - view.bottom) * rowHeight }} />
    </div>
  );
}

const none: ReadonlyMap<string, number | null> = new Map();
const spotKey = (s: Spot) => `${s.row} ${s.col}`;

/** Room for columns that are not drawn. */
const Gap = ({ columns, width }: { columns: number; width: number }) =>
  columns > 0 && <div className="shrink-0" style={{ width: columns * width }} />;

type RowProps = Pick<Props, "of" | "head" | "cell" | "onRow" | "headWidth" | "colWidth"> & {
  id: string;
  row: number;
  name: string | undefined;
  on: boolean;
  /** The columns that are drawn, and how many there are to the left of them. */
  columns: Column[];
  left: number;
  /** Levels that were put and are not answered yet, by cell. */
  onTheirWay: ReadonlyMap<string, number | null>;
  /** The columns that are chosen in it, and that of the cursor; -1 for none. */
  from: number;
  to: number;
  cursor: number;
  draft: string | null;
  onDraft: (text: string) => void;
  onLeave: (() => void) | undefined;
};

/** A row: of a thousand crossings only those are drawn anew about which something has changed. */
const GridRow = memo(
  function GridRow(p: RowProps) {
    return (
      // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus
      <div
        role="row"
        aria-rowindex={p.row + 2}
        aria-label={p.name}
        className={`flex border-line border-t [contain:layout_style] ${p.on ? "bg-raised" : ""}`}
        style={{ height: rowHeight }}
        onPointerDown={() => p.onRow?.(p.row)}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus */}
        <div
          role="rowheader"
          className={`sticky left-0 z-10 flex shrink-0 items-center pr-2 pl-4 ${p.on ? "bg-raised" : "bg-ground"}`}
          style={{ width: p.headWidth }}
        >
          {p.head(p.row)}
        </div>
        <Gap columns={p.left} width={p.colWidth} />
        {p.columns.map((c, k) => {
          const col = p.left + k;
          const v = p.cell(p.row, col);
          const put = p.onTheirWay.get(spotKey({ row: p.row, col }));
          return (
            <Crossing
              key={c.key}
              id={`${p.id}-${p.row}-${col}`}
              row={p.row}
              col={col}
              value={put === undefined ? v.value : put === null ? 0 : 10 ** (put / 20)}
              bus={v.bus}
              off={v.off}
              moving={v.moving}
              none={v.none}
              label={v.label}
              chosen={col >= p.from && col <= p.to}
              cursor={p.cursor === col}
              draft={p.cursor === col ? p.draft : null}
              onDraft={p.onDraft}
              onLeave={p.cursor === col ? p.onLeave : undefined}
              width={p.colWidth}
            />
          );
        })}
      </div>
    );
  },
  (a, b) =>
    a.row === b.row &&
    a.name === b.name &&
    a.on === b.on &&
    a.left === b.left &&
    a.onTheirWay === b.onTheirWay &&
    a.columns.length === b.columns.length &&
    a.from === b.from &&
    a.to === b.to &&
    a.cursor === b.cursor &&
    a.draft === b.draft &&
    (a.draft === null || a.onLeave === b.onLeave) &&
    a.of.length === b.of.length &&
    a.of.every((v, i) => v === b.of[i]),
);

function HeadOf({ column: c, wide }: { column: Column; wide: boolean }) {
  const name = c.short ?? c.name;
  return (
    <>
      <span className="flex items-center justify-center">
        {c.fold && (
          <button
            type="button"
            tabIndex={-1}
            aria-expanded={!c.fold.folded}
            aria-label={`${c.fold.folded ? "Unfold" : "Fold"} ${c.bus?.name ?? c.name}`}
            className="shrink-0 text-quiet hover:text-focus"
            onClick={c.fold.turn}
          >
            {c.fold.folded ? "▸" : "▾"}
          </button>
        )}
        {c.onHead ? (
          <button type="button" tabIndex={-1} className="min-w-0 truncate px-0.5 hover:text-focus" onClick={c.onHead}>
            {name}
          </button>
        ) : (
          <span className="min-w-0 truncate px-0.5">{name}</span>
        )}
      </span>
      <span aria-hidden="true" className={`mx-auto mt-0.5 block h-1.5 ${wide ? "w-12" : "w-8"} ${weaveOf(c.bus)}`} />
    </>
  );
}

function every(c: ReturnType<typeof corners>, db: () => number | null): Put[] {
  const out: Put[] = [];
  for (let row = c.top; row <= c.bottom; row++)
    for (let col = c.left; col <= c.right; col++) out.push({ row, col, db: db() });
  return out;
}

/** Scrolls what is around a grid so that a cell of it is in view, beside the heads that stay in place. */
function reveal(grid: HTMLElement | null, at: { left: number; top: number; width: number; headWidth: number }) {
  const s = scroller(grid);
  if (!grid || !s) return;
  const [g, v] = [grid.getBoundingClientRect(), s.getBoundingClientRect()];
  const left = g.left + at.headWidth + at.left;
  const top = g.top + headHeight + at.top;
  if (left < v.left + at.headWidth) s.scrollLeft += left - v.left - at.headWidth;
  else if (left + at.width > v.right) s.scrollLeft += left + at.width - v.right + 8;
  if (top < v.top + headHeight) s.scrollTop += top - v.top - headHeight;
  else if (top + rowHeight > v.bottom) s.scrollTop += top + rowHeight - v.bottom + 8;
}
