import { memo } from "react";
import type { Bus } from "../../api/client";
import { factor } from "../../format";
import { colourOf, weaveOf } from "../../ui/stems";

/** px: width of a bus channel or an output. */
export const cell = 48;
/** px: heads of rows with their fields. */
export const headWidth = 440;

type Props = {
  value: number;
  bus: Bus | undefined;
  off?: boolean;
  /** It changes over time. */
  moving?: boolean;
  label: string;
  onClick?: () => void;
};

/** One crossing of a grid: woven in the stem's pattern where thread meets thread, with its level. */
export const Crossing = memo(function Crossing({ value, bus, off, moving, label, onClick }: Props) {
  const text = factor(value);
  const inside = (
    <span className="relative flex h-7 w-full items-center justify-center">
      {value !== 0 && (
        <span
          aria-hidden="true"
          className={`absolute inset-1 ${weaveOf(bus)}`}
          style={{
            color: `color-mix(in srgb, ${colourOf(bus)} ${off ? 15 : 45}%, transparent)`,
            clipPath: moving ? "polygon(6px 0, 100% 0, calc(100% - 6px) 100%, 0 100%)" : undefined,
          }}
        />
      )}
      {text && (
        <span className={`figures relative bg-ground px-0.5 text-small ${off ? "text-quiet" : ""}`}>{text}</span>
      )}
    </span>
  );
  return (
    <td className="border-line border-t border-l p-0" style={{ width: cell, height: 28 }}>
      {onClick ? (
        <button
          type="button"
          aria-label={label}
          aria-pressed={value !== 0}
          className="block h-7 w-full hover:bg-line"
          onClick={onClick}
        >
          {inside}
        </button>
      ) : (
        inside
      )}
    </td>
  );
});

/** The heads of columns, each with its bus's weave below. */
export function Heads({ columns }: { columns: { name: string; short?: string; bus: Bus | undefined }[] }) {
  return (
    <>
      {columns.map((c) => (
        <th
          key={c.name}
          scope="col"
          title={c.name}
          className="sticky top-0 z-10 h-9 bg-ground p-0 font-normal text-small"
          style={{ width: cell, minWidth: cell, color: colourOf(c.bus) }}
        >
          <span className="block truncate px-0.5">{c.short ?? c.name}</span>
          <span aria-hidden="true" className={`mx-auto mt-0.5 block h-1.5 w-8 ${weaveOf(c.bus)}`} />
        </th>
      ))}
    </>
  );
}
