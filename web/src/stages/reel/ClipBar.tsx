import { Ear } from "lucide-react";
import type { Clip, Fade, Production, Reel } from "../../api/client";
import { positions, withPoint } from "../../editor/envelope";
import { ofSound } from "../../editor/enveloped";
import { hearAlone } from "../../editor/heard";
import { parsePosition } from "../../editor/position";
import { useEditor } from "../../editor/store";
import { duration, gain, plural } from "../../format";
import { valueAt } from "../../timeline/curve";
import type { Row } from "../../timeline/geometry";

import { timecodeIn } from "../../timeline/place";
import type { Acting } from "../../timeline/useDrag";
import { Button, Choice } from "../../ui/controls";
import { ClipChannels } from "./ClipChannels";
import { Field } from "./Field";
import { MarkerFields } from "./MarkerFields";
import { PictureFields } from "./PictureFields";
import { TrackBar } from "./TrackBar";
import { decibels, percent } from "./typed";

type Act = (what: string, ...actions: Acting[]) => void;
type Props = { production: Production; reel: Reel; rows: Row[]; away: (c: Clip) => string; act: Act };

/** What is chosen, in one line: everything about a clip can be typed here. */
export function ClipBar({ production: p, reel, rows, away, act }: Props) {
  const chosen = useEditor((s) => s.clips);
  const span = useEditor((s) => s.span);
  const alone = useEditor((s) => s.alone);
  const found = rows.flatMap((r) => r.track.clips.filter((c) => chosen.has(c.id)).map((c) => ({ row: r, c })));
  const one = found[0];
  const markerId = useEditor((s) => s.marker);
  const marker = reel.doc.markers?.find((m) => m.id === markerId);
  const pictureId = useEditor((s) => s.picture);
  const picture = reel.doc.pictures?.find((x) => x.id === pictureId);
  const others = found.length - 1;
  const tracks = useEditor((s) => s.tracks);
  const lanes = rows.filter((r) => tracks.includes(r.track.id)).map((r) => r.track);
  const track = lanes.find((t) => t.id === tracks[0]);
  return (
    <section
      aria-label="What is chosen"
      className="flex h-10 shrink-0 items-center gap-3 overflow-hidden whitespace-nowrap border-line border-t bg-panel px-3 text-small"
    >
      {track && !one && !span && !marker && !picture && (
        <TrackBar
          key={track.id}
          production={p}
          reel={reel}
          track={track}
          others={lanes.filter((t) => t !== track)}
          act={act}
        />
      )}
      {!one && !span && !marker && !track && !picture && (
        <span className="text-quiet">
          Nothing is chosen. Click a clip, drag over the tracks for a span, or press ? for the keys.
        </span>
      )}
      {span && !one && !marker && !picture && (
        <span className="figures">
          <span className="text-quiet">Span</span> {timecodeIn(p, span.from)} to {timecodeIn(p, span.to)},{" "}
          {duration(span.to - span.from, p.sample_rate)} s
        </span>
      )}
      {one && (
        <ClipFields
          key={one.c.id}
          production={p}
          reel={reel}
          row={one.row}
          clip={one.c}
          ids={found.map((f) => f.c.id)}
          others={others}
          alone={alone}
          away={away(one.c)}
          act={act}
        />
      )}
      {picture && !one && <PictureFields key={picture.id} production={p} reel={reel} picture={picture} act={act} />}
      {marker && !one && !picture && <MarkerFields key={marker.id} production={p} marker={marker} act={act} />}
    </section>
  );
}

type FieldsProps = {
  production: Production;
  reel: Reel;
  row: Row;
  clip: Clip;
  ids: string[];
  others: number;
  alone: boolean;
  away: string;
  act: Act;
};

function ClipFields({ production: p, reel, row, clip: c, ids, others, alone, away, act }: FieldsProps) {
  const pointer = useEditor((s) => s.pointer);
  const drawing = useEditor((s) => s.drawing);
  const heardAlone = useEditor((s) => s.solo.has(c.id));
  const over = ofSound(reel, row.track, c, drawing);
  const placed = over?.scale === positions;
  const points = over?.drawn.gain ?? [];
  const place = (text: string) => parsePosition(text, c.at, p.sample_rate, p.rate, reel.worked_out.start);
  const ms = (samples: number | undefined) => (((samples ?? 0) / p.sample_rate) * 1000).toFixed(1);
  const milliseconds = (text: string) => {
    const v = Number(text.replace(",", ".").replace(/\s*ms$/, ""));
    return text.trim() !== "" && v >= 0 ? Math.round((v * p.sample_rate) / 1000) : null;
  };
  const fade = (end: "in" | "out", f: Fade) => act(`fade ${c.name} ${end}`, { fade: { clips: ids, [end]: f, alone } });
  return (
    <>
      <span className="ticket max-w-40 shrink-0 truncate bg-raised px-2 py-0.5 text-ink" title={c.name}>
        {c.name}
      </span>
      <span className="min-w-0 max-w-32 truncate text-quiet" title={row.track.label}>
        {others > 0 ? `and ${plural(others, "more", "more")}` : row.track.label}
      </span>
      <Field
        label="From"
        says="Where the clip begins: timecode, or an offset such as +1:00, -12f, +480s"
        value={timecodeIn(p, c.at)}
        wide="w-24"
        parse={place}
        save={(at) => at !== c.at && act(`move ${c.name}`, { move: { clips: ids, by: at - c.at, alone } })}
      />
      <span className="figures text-quiet">{duration(c.length, p.sample_rate)} s</span>
      <Field
        label="Gain"
        says="Gain of the clip in dB"
        value={gain(c.gain_db ?? 0)}
        wide="w-16"
        parse={decibels}
        step={{ by: 1, shown: gain, rest: 0 }}
        save={(db) => act(`set ${c.name} to ${gain(db)}`, { set: { clips: ids, gain_db: db } })}
      />
      {over && !!points.length && (
        <Field
          label={placed ? "Position here" : "here"}
          says={
            placed
              ? "Position of the clip at the pointer, in % from left (−) to right"
              : "Envelope of the clip at the pointer, in dB"
          }
          value={over.scale.says(valueAt(points, over.shift + pointer))}
          wide={placed ? "w-20" : "w-16"}
          parse={placed ? percent : decibels}
          save={(v) =>
            act(`set ${over.says}`, over.put(withPoint(over.drawn, over.shift + pointer, v, undefined, over.scale)))
          }
        />
      )}
      {(["in", "out"] as const).map((end) => {
        const f = (end === "in" ? c.fade_in : c.fade_out) ?? {};
        return (
          <span key={end} className="flex items-center gap-1">
            <Field
              label={end === "in" ? "Fade in" : "out"}
              says={`Length of the fade ${end} in milliseconds`}
              value={`${ms(f.length)} ms`}
              wide="w-20"
              parse={milliseconds}
              save={(length) => fade(end, { ...f, length })}
            />
            {!!f.length && (
              <Choice
                aria-label={`Shape of the fade ${end}`}
                style={{ height: 24 }}
                className="w-20"
                value={f.shape ?? ""}
                onChange={(e) => fade(end, { ...f, shape: e.target.value as Fade["shape"] })}
              >
                <option value="">gain</option>
                <option value="equal_power">power</option>
                <option value="raised_cosine">S-shaped</option>
              </Choice>
            )}
          </span>
        );
      })}
      <Button
        aria-pressed={heardAlone}
        aria-label={`Hear ${c.name} alone`}
        title="Hear what is chosen alone, for listening only"
        onClick={() => hearAlone(ids)}
      >
        <Ear size={13} aria-hidden="true" />
      </Button>
      <ClipChannels clip={c} row={row} ids={ids} act={act} />
      <Button
        aria-pressed={!!c.invert}
        title="Polarity of the clip"
        onClick={() =>
          act(`${c.invert ? "do not invert" : "invert"} ${c.name}`, { set: { clips: ids, invert: !c.invert } })
        }
      >
        {c.invert ? "Inverted" : "Polarity"}
      </Button>
      {away && (
        <>
          <span className="figures ticket bg-caution px-2 py-0.5 text-on-focus">{away} from home</span>
          {!!c.away && (
            <>
              <Button onClick={() => act(`bring ${c.name} home`, { home: { clips: ids } })}>Bring home</Button>
              <Button
                title="It is meant to lie where it does"
                onClick={() => act(`${c.name} is meant to lie there`, { home: { clips: ids, meant: true } })}
              >
                Meant
              </Button>
            </>
          )}
        </>
      )}
    </>
  );
}
