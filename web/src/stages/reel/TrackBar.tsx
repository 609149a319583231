import type { EditAction, Production, Reel, Track } from "../../api/client";
import { bearings, withPoint } from "../../editor/envelope";
import {
  figureOf,
  ofFigure,
  ofPlace,
  ofPosition,
  ofTrack,
  type PlaceKey,
  placeKeys,
  placeOf,
} from "../../editor/enveloped";
import { useEditor } from "../../editor/store";
import { gain, plural } from "../../format";
import { valueAt } from "../../timeline/curve";
import { openTreatment, treats } from "../../treatment/treating";
import { Button, Choice } from "../../ui/controls";
import { Field } from "./Field";
import { bearing, decibels, figureTyped, percent } from "./typed";

type Props = {
  production: Production;
  reel: Reel;
  track: Track;
  /** How many more tracks are chosen: what is typed is for all of them. */
  others: Track[];
  act: (what: string, ...actions: EditAction[]) => void;
};

/** The chosen track, where no clip is: its level, and the level over time. */
export function TrackBar({ reel, track: t, others, act }: Props) {
  const pointer = useEditor((s) => s.pointer);
  const drawing = useEditor((s) => s.drawing);
  const place = ofPosition(reel, t);
  const key = figureOf(drawing);
  const more = placeOf(drawing);
  const figure = key ? ofFigure(t, key) : more ? ofPlace(reel, t, more) : null;
  const over = figure ?? (drawing === "positions" && place ? place : ofTrack(t));
  const points = over.drawn.gain ?? [];
  const drawable = (Object.keys(placeKeys) as PlaceKey[]).filter((k) => ofPlace(reel, t, k));
  return (
    <>
      <span className="ticket max-w-40 shrink-0 truncate bg-raised px-2 py-0.5 text-ink" title={t.label}>
        {t.label}
      </span>
      {others.length > 0 && <span className="text-quiet">and {plural(others.length, "more", "more")}</span>}
      <span className="min-w-0 truncate text-quiet" title={reel.worked_out.ways[t.id]}>
        {reel.worked_out.ways[t.id]}
      </span>
      <Field
        label="Level"
        says="Level of the track in dB"
        value={gain(t.gain_db ?? 0)}
        wide="w-20"
        parse={decibels}
        step={{ by: 1, shown: gain, rest: 0 }}
        save={(db) =>
          act(`set ${t.label} to ${gain(db)}`, ...[t, ...others].map((o) => ({ set_track: { id: o.id, gain_db: db } })))
        }
      />
      {points.length > 0 && (
        <>
          <Field
            label={over === place ? "Position here" : "here"}
            says={
              figure
                ? `${capital(figure.says)} at the pointer`
                : over.scale === bearings
                  ? "Direction over time of the track at the pointer, in degrees to the left"
                  : over === place
                    ? "Position over time of the track at the pointer, in % from left (−) to right"
                    : "Level over time of the track at the pointer, in dB"
            }
            value={over.scale.says(valueAt(points, pointer))}
            wide="w-20"
            parse={
              figure
                ? figureTyped(figure.scale)
                : over.scale === bearings
                  ? bearing
                  : over === place
                    ? percent
                    : decibels
            }
            save={(v) => act(`set ${over.says}`, over.put(withPoint(over.drawn, pointer, v, undefined, over.scale)))}
          />
          <span className="figures text-quiet">{plural(points.length, "point")}</span>
          <Button onClick={() => act(`take ${over.says} away`, over.put([]))}>Still again</Button>
        </>
      )}
      <Button
        aria-pressed={treats(t.treat)}
        title="Filters and dynamics of the track (Ctrl M)"
        onClick={() => openTreatment(reel, t.id)}
      >
        Treatment
      </Button>
      <Draw what="tracks" says="Draw the level over time" />
      {place && <Draw what="positions" says="Draw the position over time" />}
      {drawable.length > 0 && (
        <Choice
          aria-label="Draw more of where it stands, or turns, over time"
          value={more ?? ""}
          style={{ height: 28 }}
          onChange={(e) => useEditor.setState({ drawing: e.target.value ? `place ${e.target.value as PlaceKey}` : "" })}
        >
          <option value="">more…</option>
          {drawable.map((k) => (
            <option key={k} value={k}>
              {placeKeys[k].name}
            </option>
          ))}
        </Choice>
      )}
    </>
  );
}

const capital = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

/** Begins to draw something over the lanes, or ends it. */
function Draw({ what, says }: { what: "tracks" | "positions"; says: string }) {
  const on = useEditor((s) => s.drawing === what);
  return (
    <Button
      aria-pressed={on}
      title={`${says}, with the pointer (Ctrl Shift E)`}
      onClick={() => useEditor.setState({ drawing: on ? "" : what })}
    >
      {says}
    </Button>
  );
}
