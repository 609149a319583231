import type { SyncPair } from "../../api/client";
import { inWords, lanes, together, type View } from "./view";

type Props = {
  pairs: SyncPair[];
  pair: SyncPair;
  view: View;
  found: boolean;
  onPick: (centre: number) => void;
};

/** All recordings that hang together, as bars on one line: a lane a recorder or camera. */
export function TimeLine({ pairs, pair: p, view, found, onPick }: Props) {
  const bars = together(pairs, p);
  const rows = lanes(bars, p);
  const from = Math.min(...bars.map((b) => b.from));
  const whole = Math.max(...bars.map((b) => b.to)) - from || 1;
  const left = (t: number) => `${((t - from) / whole) * 100}%`;
  const width = (s: number) => `${Math.max(0.3, (s / whole) * 100)}%`;
  const look = (id: string, by: string) =>
    id === p.ref.id
      ? "bg-quiet text-ground"
      : id === p.take.id
        ? found
          ? "bg-focus text-on-focus"
          : "border border-focus border-dashed text-ink"
        : by === "sound"
          ? "bg-raised text-ink border-focus border-l-2"
          : "bg-raised text-quiet border-line border-l-2";
  return (
    <div className="flex max-h-28 shrink-0 gap-2 overflow-y-auto">
      <ul className="w-28 shrink-0">
        {rows.map((l, i) => (
          <li key={i} className="flex h-6 items-center truncate text-quiet text-small" title={l.name}>
            {l.name}
          </li>
        ))}
      </ul>
      <button
        type="button"
        aria-label="The line that all have in common; click to look there"
        onClick={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          onPick(from + ((e.clientX - box.left) / box.width) * whole);
        }}
        className="relative block min-w-0 flex-1 overflow-hidden bg-ground text-left"
        style={{ height: rows.length * 24 }}
      >
        {rows.map((l, i) =>
          l.bars.map((b) => (
            <span
              key={b.id}
              title={`${b.name}, ${inWords(b.to - b.from)}${b.by === "timecode" ? ", by timecode" : ""}`}
              className={`absolute h-5 truncate px-1 text-small leading-5 ${look(b.id, b.by)}`}
              style={{ left: left(b.from), width: width(b.to - b.from), top: i * 24 + 2 }}
            >
              {b.name}
            </span>
          )),
        )}
        <span
          className="absolute inset-y-0 border-caution border-x bg-caution/10"
          style={{ left: left(view.centre - view.span / 2), width: width(view.span) }}
        />
      </button>
    </div>
  );
}
