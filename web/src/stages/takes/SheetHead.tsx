import { plural } from "../../format";
import { Handle } from "../../ui/Handle";
import { type defaults, fixed, leading, markWidth, rowHead } from "./sheetSizes";

type Props = {
  /** How many takes are chosen, of how many. */
  chosen: number;
  all: number;
  /** Scene and take are scrolled out of view: the sticky column names the take instead of its start. */
  aside: boolean;
  /** Strands of the take that has most. */
  most: number;
  width: number;
  lead: number;
  sizes: typeof defaults;
  strandWidth: number;
  onResize: (column: keyof typeof defaults, width: number | null) => void;
  onChooseAll: (all: boolean) => void;
};

/** The titles of the columns, which can be made wider by their edges, and what chooses all takes. */
export function SheetHead({ chosen, all, aside, most, width, lead, sizes, strandWidth, onResize, onChooseAll }: Props) {
  return (
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
            aria-label={chosen === all ? "Choose only the take of the cursor" : "Choose all takes"}
            title={`${plural(chosen, "take")} chosen. Click for all, or for one; Shift and a click on another row's head choose those between`}
            onClick={() => onChooseAll(chosen !== all)}
            className="figures h-6 min-w-6 px-0.5 hover:bg-raised hover:text-ink"
          >
            {chosen}
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
              onChange={(v) => onResize(f.key, v)}
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
            onChange={(v) => onResize(f.column, v)}
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
            onChange={(v) => onResize("strand", v)}
            className="absolute inset-y-1 right-0"
          />
        </span>
      ))}
    </div>
  );
}
