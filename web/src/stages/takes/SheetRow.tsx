import { memo } from "react";
import type { Schemas, Strand, Take } from "../../api/client";
import { awayInShort, fromHome } from "../../format";
import { columns, flags, textAt } from "./cells";
import { leadWords } from "./SheetLead";
import { type defaults, fixed, gridId, textHeight } from "./sheetSizes";
import { TinyWaves } from "./TinyWaves";

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

/** A take as a row of cells: the fixed ones, then a label a strand. */
export const Row = memo(
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
    s.detached && rate
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
