import { memo } from "react";
import type { Bus } from "../../api/client";
import { factor } from "../../format";
import { colourOf, weaveOf } from "../../ui/stems";

/** px: width of a bus channel or an output. */
export const cell = 48;
/** px: heads of rows with their fields. */
export const headWidth = 456;

type Props = {
  id: string;
  row: number;
  col: number;
  value: number;
  bus: Bus | undefined;
  off: boolean | undefined;
  /** It changes over time. */
  moving: boolean | undefined;
  /** Nothing can be put there. */
  none: boolean | undefined;
  label: string;
  /** It is among the cells that are chosen. */
  chosen: boolean;
  cursor: boolean;
  /** What is being typed into it. */
  draft: string | null;
  onDraft: (text: string) => void;
  onLeave: (() => void) | undefined;
  /** px */
  width: number;
};

/** One crossing of a grid: woven in the stem's pattern where thread meets thread, with its level. */
export const Crossing = memo(function Crossing(p: Props) {
  const { value, bus, off, moving, label } = p;
  const text = factor(value);
  return (
    // biome-ignore lint/a11y/useFocusableInteractive: the grid around it has the focus
    <div
      id={p.id}
      role="gridcell"
      aria-selected={p.chosen}
      aria-colindex={p.col + 2}
      data-row={p.row}
      data-col={p.col}
      style={{ width: p.width }}
      className={`relative shrink-0 border-line border-l ${p.none && value === 0 ? "bg-panel" : ""} ${p.cursor ? "outline-2 outline-focus -outline-offset-2" : p.chosen ? "outline-1 outline-focus/60 -outline-offset-1" : ""}`}
    >
      {p.draft === null ? (
        <button
          type="button"
          tabIndex={-1}
          aria-label={label}
          aria-pressed={value !== 0}
          className="relative flex h-full w-full items-center justify-center hover:bg-line"
        >
          {value !== 0 && (
            <span
              aria-hidden="true"
              className={`absolute inset-x-1 inset-y-[3px] ${weaveOf(bus)}`}
              style={{
                color: `color-mix(in srgb, ${colourOf(bus)} ${off ? 15 : 45}%, transparent)`,
                clipPath: moving ? "polygon(6px 0, 100% 0, calc(100% - 6px) 100%, 0 100%)" : undefined,
              }}
            />
          )}
          {text && (
            <span className={`figures relative bg-ground px-0.5 text-small ${off ? "text-quiet" : ""}`}>{text}</span>
          )}
        </button>
      ) : (
        <input
          ref={(e) => e?.focus()}
          data-draft="true"
          aria-label={`Level of ${label} in dB`}
          value={p.draft}
          className="figures h-full w-full bg-panel px-1 text-right text-small"
          onChange={(e) => p.onDraft(e.target.value)}
          onBlur={p.onLeave}
        />
      )}
    </div>
  );
});
