import { memo } from "react";
import type { Take } from "../../api/client";
import { duration, plural } from "../../format";
import { unfocused } from "../../ui/controls";
import { markWidth, rowHead } from "./sheetSizes";
import { syncs } from "./syncs";

/** What the sticky column shows of a take, in words. */
export function leadWords(t: Take): string {
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
export const Lead = memo(function Lead({
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
        onMouseDown={unfocused}
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

/** How far a take is, what stands in its way first. */
function stateOf(t: Take): { says: string; look: string; why?: string } {
  const why = t.snags.map((s) => s.message).join("; ");
  if (!t.final) return { says: "proposed", look: "text-caution", why };
  if (t.snags.length > 0) return { says: plural(t.snags.length, "snag"), look: "text-caution", why };
  if (t.suggestions.length > 0) return { says: plural(t.suggestions.length, "hint"), look: "text-focus" };
  return { says: t.in_reel ? "in reel" : "", look: "text-quiet" };
}
