import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { useEditSheet, useProduction } from "../../api/queries";
import { plural } from "../../format";
import { useRoom } from "../../ui/room";
import { useSizes } from "../../ui/sizes";
import { columns, corners, type Place, type SheetCell, stemAndPart, textAt } from "./cells";
import type { Line } from "./order";
import { SheetHead } from "./SheetHead";
import { Lead } from "./SheetLead";
import { Row } from "./SheetRow";
import {
  defaults,
  fixed,
  gridId,
  groupHeight,
  headHeight,
  leading,
  markWidth,
  narrowest,
  rowHead,
  widest,
} from "./sheetSizes";
import { useSheetKeys } from "./useSheetKeys";
import { useTyping } from "./useTyping";

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
  const rowOf = useMemo(() => new Map(takes.map((t, row) => [t, row])), [takes]);
  const lineOf = useCallback(
    (row: number) => lines.findIndex((l) => "take" in l && l.take === takes[row]),
    [lines, takes],
  );
  // Which lines are heads of groups, and where: lines are measured anew when that changes, not with every word typed.
  const shape = lines.flatMap((l, i) => ("group" in l ? [i] : [])).join(" ");
  useEffect(() => virtual.measure(), [virtual, rowHeight, shape, lines.length]);
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
  const focus = () => grid.current?.focus({ preventScroll: true });
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
  const typing = useTyping({ takes, at, send, go, focus });
  const { draft, setDraft, known, commit } = typing;
  const pageRows = () => Math.max(1, Math.floor((scroller.current?.clientHeight ?? 300) / rowHeight) - 1);
  const keys = useSheetKeys({ takes, at, anchor, onMove, send, go, typing, pageRows });
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
        <div
          ref={grid}
          role="grid"
          tabIndex={0}
          data-sheet
          aria-label="Takes"
          aria-rowcount={takes.length}
          aria-multiselectable="true"
          aria-activedescendant={take ? `${gridId}-${at.row}-${at.col}` : undefined}
          {...keys}
          className="outline-none" // the cell of the cursor shows where the focus is
        >
          {draft !== null && (
            <datalist id={`${gridId}-labels`}>
              {[...known].slice(0, 200).map(([label, k]) => (
                <option key={label} value={label} label={stemAndPart(k)} />
              ))}
            </datalist>
          )}
          <SheetHead
            chosen={c.bottom - c.top + 1}
            all={takes.length}
            aside={aside}
            most={most}
            width={width}
            lead={lead}
            sizes={sizes}
            strandWidth={strandWidth}
            onResize={resize}
            onChooseAll={(all) => {
              onMove(all ? { row: takes.length - 1, col: at.col } : at, all ? { row: 0, col: at.col } : at);
              focus();
            }}
          />
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
                    focus();
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
