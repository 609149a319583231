import { Ear } from "lucide-react";
import { memo, useCallback, useEffect, useRef, useState } from "react";
import type { Clip, EditAction, Production, Reel, Track } from "../api/client";
import { hearAlone } from "../editor/heard";
import { routeOf, stemOf } from "../editor/routes";
import { useEditor } from "../editor/store";
import { gain, plural } from "../format";
import { unfocused } from "../ui/controls";
import { Handle } from "../ui/Handle";
import { kindOf, stemColour, stemWeave } from "../ui/stems";
import { heights as bounds, nameHeight, type Row, rowsIn } from "./geometry";
import { setHeights } from "./heights";
import { headWidth, timecodeIn } from "./place";

type Act = (what: string, action: EditAction) => void;
type Props = { reel: Reel; rows: Row[]; production: Production; act: Act; away: (c: Clip) => string };

/** The heads of the tracks in view, each with what is drawn beside it in words. */
export function Heads({ reel, rows, production, act, away }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(600);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const o = new ResizeObserver(() => setHeight(el.clientHeight));
    o.observe(el);
    return () => o.disconnect();
  }, []);
  const top = useEditor((s) => s.top);
  const tracks = useEditor((s) => s.tracks);
  const clips = useEditor((s) => s.clips);
  const solo = useEditor((s) => s.solo);
  const mute = useEditor((s) => s.mute);
  const louder = useEditor((s) => s.louder);
  // The same function however often this is drawn: a head is drawn anew when its own row changes.
  const all = useRef(rows);
  all.current = rows;
  const resize = useCallback(
    (id: string, every: boolean, to: number | null) => setHeights(alike(all.current, id, every), to),
    [],
  );
  let band: string | undefined;
  return (
    <div
      ref={box}
      role="grid"
      aria-label="Tracks"
      aria-rowcount={rows.length}
      aria-multiselectable="true"
      className="relative shrink-0 overflow-hidden border-line border-r bg-ground"
      style={{ width: headWidth }}
    >
      {rowsIn(rows, top, height).map((r) => {
        const stem = stemOf(reel, r.track.id);
        const fresh = stem?.id !== band;
        band = stem?.id;
        return (
          <Head
            key={r.track.id}
            row={r}
            index={rows.indexOf(r)}
            stem={stem?.name}
            stemId={stem?.id}
            stemAlone={!!stem && solo.has(stem.id)}
            kind={kindOf(stem)}
            moving={routeOf(reel, r.track.id)?.patch.moving?.length ?? 0}
            newBand={fresh}
            louder={louder[r.track.id] ?? 0}
            resize={resize}
            y={r.top - top}
            on={tracks.includes(r.track.id)}
            first={tracks[0] === r.track.id}
            clips={clips}
            solo={solo.has(r.track.id)}
            mute={mute.has(r.track.id)}
            production={production}
            act={act}
            away={away}
          />
        );
      })}
    </div>
  );
}

type HeadProps = {
  row: Row;
  index: number;
  stem: string | undefined;
  stemId: string | undefined;
  /** The stem is heard alone. */
  stemAlone: boolean;
  kind: ReturnType<typeof kindOf>;
  /** Points of its position over time. */
  moving: number;
  newBand: boolean;
  /** How many times its waveforms are drawn twice as high. */
  louder: number;
  /** Gives a track another height, and with it the chosen ones where it is one, or every one; null for its share of the window. */
  resize: (id: string, every: boolean, to: number | null) => void;
  y: number;
  on: boolean;
  first: boolean;
  clips: ReadonlySet<string>;
  solo: boolean;
  mute: boolean;
  production: Production;
  act: Act;
  away: (c: Clip) => string;
};

/** The tracks whose height is changed by the edge of one: that alone, those that are chosen with it, or all. */
function alike(rows: Row[], id: string, every: boolean): string[] {
  if (every) return rows.map((o) => o.track.id);
  const { tracks } = useEditor.getState();
  return tracks.includes(id) ? [...tracks] : [id];
}

const mostSaid = 200; // clips of a track that are said one by one

const Head = memo(function Head(p: HeadProps) {
  const t = p.row.track;
  const colour = stemColour(p.kind);
  const listening = p.solo ? ", heard alone" : p.mute ? ", not heard now" : "";
  return (
    <div
      role="row"
      title={p.row.height < 18 ? t.label : undefined}
      aria-rowindex={p.index + 1}
      aria-selected={p.on}
      aria-label={`Track ${t.label}, ${p.stem ?? "no stem"}${t.off ? ", off" : ""}${listening}`}
      tabIndex={p.first ? 0 : -1}
      onClick={(e) =>
        useEditor.setState((s) => ({
          tracks: e.shiftKey || e.ctrlKey || e.metaKey ? [...s.tracks.filter((id) => id !== t.id), t.id] : [t.id],
        }))
      }
      onKeyDown={() => undefined}
      className={`absolute left-0 w-full overflow-hidden ${p.newBand ? "border-line border-t" : ""} ${p.on ? "bg-raised" : ""}`}
      style={{ height: p.row.height, top: p.y }}
    >
      <div
        role="rowheader"
        tabIndex={-1}
        className={`flex h-full items-center gap-1.5 pr-2 ${p.row.height < 18 ? "[&>*:not(:first-child):not([role=separator])]:hidden" : ""} ${p.solo ? "outline outline-1 outline-focus -outline-offset-1" : ""}`}
      >
        <span aria-hidden="true" className={`h-full w-3 shrink-0 ${stemWeave(p.kind)}`} style={{ color: colour }} />
        <span
          className={`ticket min-w-0 flex-1 truncate bg-panel px-2 py-0.5 ${t.off ? "text-quiet" : ""}`}
          title={t.label}
        >
          {t.label}
        </span>
        {p.louder > 0 && (
          <span
            className="figures shrink-0 text-caution text-small"
            title="Its waveforms are drawn so many times higher, to the eye alone (* and /)"
          >
            ×{2 ** p.louder}
          </span>
        )}
        {p.row.channels.length > 1 && (
          <button
            type="button"
            aria-expanded={!p.row.folded}
            aria-label={`Channels of ${t.label}: ${p.row.channels.join(" ")}`}
            onMouseDown={unfocused}
            title={`${p.row.channels.join(" ")}\n${p.row.folded ? "Show a lane a channel" : "Fold into one lane"}`}
            onClick={(e) => {
              e.stopPropagation();
              fold([p.row]);
            }}
            className={`ticket figures shrink-0 px-1.5 text-small hover:text-focus ${p.row.folded ? "bg-line" : "bg-raised"}`}
          >
            {t.layout === "stereo" ? "2" : t.layout.replace("ambisonic", "ACN").replace(" SN3D", "")}
          </button>
        )}
        <span
          className={`w-[52px] shrink-0 truncate text-small ${p.stem ? "" : "text-caution"} ${p.stemAlone ? "outline outline-1 outline-focus" : ""}`}
          style={{ color: p.stem ? colour : undefined }}
          title={p.stem}
        >
          {p.stem ?? "no stem"}
        </span>
        <button
          type="button"
          aria-pressed={p.solo}
          aria-label={`Hear track ${t.label} alone`}
          onMouseDown={unfocused}
          title="Hear this track alone, or with Shift its stem: for listening only (R)"
          onClick={(e) => {
            e.stopPropagation();
            hearAlone([(e.shiftKey && p.stemId) || t.id]);
          }}
          className={`flex h-6 w-6 shrink-0 items-center justify-center ${p.solo ? "text-focus" : "text-quiet hover:text-ink"}`}
        >
          <Ear size={13} aria-hidden="true" />
        </button>
        <button
          type="button"
          aria-pressed={!t.off}
          aria-label={`Track ${t.label} is ${t.off ? "off" : "on"}`}
          onMouseDown={unfocused}
          title={t.off ? "Off: not delivered. Turn it on (O)" : "Turn it off: it is then not delivered (O)"}
          onClick={(e) => {
            e.stopPropagation();
            p.act(`turn ${t.label} ${t.off ? "on" : "off"}`, { set_track: { id: t.id, off: !t.off } });
          }}
          className={`h-6 w-8 shrink-0 text-small ${t.off ? "bg-panel text-quiet" : "bg-line text-ink"}`}
        >
          {t.off ? "off" : "on"}
        </button>
        <span
          aria-hidden="true"
          className="-mr-1 flex h-full w-5 shrink-0 flex-col text-quiet text-small leading-none"
          style={{ paddingTop: nameHeight(p.row) }}
        >
          {!p.row.folded &&
            p.row.channels.length > 1 &&
            p.row.channels.map((c) => (
              <span key={c} className="flex min-h-0 flex-1 items-center overflow-hidden whitespace-nowrap">
                {c}
              </span>
            ))}
        </span>
        <Handle
          label={`Height of ${t.label}`}
          hint="with Shift, of all tracks"
          value={p.row.height}
          min={bounds.least}
          max={bounds.most}
          tabIndex={-1}
          onChange={(to, e) => p.resize(t.id, e.shiftKey, to)}
          of="row"
          className="absolute inset-x-0 bottom-0"
        />
      </div>
      <div
        role="gridcell"
        tabIndex={-1}
        className="sr-only"
        aria-label={[`${plural(t.clips.length, "clip")} of ${t.label}`, ...levelSaid(t, p.moving)].join(", ")}
      >
        <ul>
          {t.clips.slice(0, mostSaid).map((c) => (
            <li key={c.id} data-chosen={p.clips.has(c.id) || undefined}>
              {said(c, p)}
            </li>
          ))}
        </ul>
      </div>
    </div>
  );
});

/** A track's level in words; nothing for one that is as it is. */
function levelSaid(t: Track, moving: number): string[] {
  const said = t.gain_db ? [`level ${gain(t.gain_db)}`] : [];
  if (t.gain?.length) said.push(`level over time, ${plural(t.gain.length, "point")}`);
  if (moving > 0) said.push(`position over time, ${plural(moving, "point")}`);
  return said;
}

/** A clip in words. */
function said(c: Clip, p: HeadProps): string {
  const tc = (at: number) => timecodeIn(p.production, at);
  const parts = [`${c.name} from ${tc(c.at)} to ${tc(c.at + c.length)}`];
  const away = p.away(c);
  if (away) parts.push(`${away} from home`);
  if (c.unplaced) parts.push("no start");
  if (c.fade_in?.length) parts.push("fades in");
  if (c.fade_out?.length) parts.push("fades out");
  // What was drawn over a clip that was cut is kept with both parts: what lies in this one counts.
  const off = (c.off ?? []).filter((o) => o.from < c.in + c.length && c.in < o.to).length;
  const points = (c.gain ?? []).filter((g) => g.at >= c.in && g.at < c.in + c.length).length;
  if (off > 0) parts.push(plural(off, "range off", "ranges off"));
  if (points > 0) parts.push(plural(points, "point"));
  if (c.gain_db) parts.push(`${c.gain_db} dB`);
  if (p.clips.has(c.id)) parts.push("chosen");
  return parts.join(", ");
}

/** Folds tracks of several channels into one lane each, or, where all of them are, shows a lane a channel. */
export function fold(rows: Row[]) {
  const wide = rows.filter((r) => r.channels.length > 1);
  const folded = !wide.every((r) => r.folded);
  useEditor.setState((s) => ({
    folds: { ...s.folds, ...Object.fromEntries(wide.map((r) => [r.track.id, folded])) },
  }));
}
