import { useEffect, useRef } from "react";
import type { EditAction, Marker, Production } from "../../api/client";
import { parsePosition } from "../../editor/position";
import { useEditor } from "../../editor/store";
import { timecodeIn } from "../../timeline/place";
import { Button, Choice, TextField } from "../../ui/controls";
import { type MarkerColour, markerColours } from "../../ui/markers";
import { Field } from "./Field";

type Props = { production: Production; marker: Marker; act: (what: string, ...actions: EditAction[]) => void };

/** Everything about a marker that is chosen. */
export function MarkerFields({ production: p, marker: m, act }: Props) {
  // A marker is put as a whole: what was changed a moment ago and has not come back yet goes along.
  const sent = useRef<Partial<Marker>>({});
  useEffect(() => {
    sent.current = Object.fromEntries(Object.entries(sent.current).filter(([k, v]) => m[k as keyof Marker] !== v));
  }, [m]);
  const put = (part: Partial<Marker>, what: string) => {
    sent.current = { ...sent.current, ...part };
    act(what, { set_markers: { put: [{ ...m, ...sent.current }] } });
  };
  const text = (label: string, value: string, wide: string, save: (v: string) => void) => (
    <TextField
      aria-label={label}
      placeholder={label}
      defaultValue={value}
      maxLength={200}
      className={`h-6! ${wide}`}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      onBlur={(e) => e.target.value !== value && save(e.target.value)}
    />
  );
  return (
    <>
      <span className="text-quiet">Marker</span>
      {text("Name of the marker", m.name, "w-40", (name) => name.trim() && put({ name }, `rename marker ${m.name}`))}
      <Field
        label="at"
        says="Where the marker lies: timecode, or an offset such as +1:00, -12f"
        value={timecodeIn(p, m.at)}
        wide="w-24"
        parse={(v) => parsePosition(v, m.at, p.sample_rate, p.rate)}
        save={(at) => put({ at }, `move marker ${m.name}`)}
      />
      <Choice
        aria-label="Colour of the marker"
        style={{ height: 24 }}
        value={m.colour || "citron"}
        onChange={(e) => put({ colour: e.target.value as MarkerColour }, `colour marker ${m.name}`)}
      >
        {Object.entries(markerColours).map(([k, look]) => (
          <option key={k} value={k}>
            {look.sign} {k}
          </option>
        ))}
      </Choice>
      {text("Note of the marker", m.note ?? "", "min-w-24 flex-1", (note) => put({ note }, `note on marker ${m.name}`))}
      <Button
        title="The marker lasts as long as the span"
        onClick={() => {
          const { span } = useEditor.getState();
          if (span) put({ at: span.from, length: span.to - span.from }, `marker ${m.name} over the span`);
          else put({ length: 0 }, `marker ${m.name} is a place`);
        }}
      >
        Over the span
      </Button>
      <Button onClick={() => act(`remove marker ${m.name}`, { set_markers: { remove: [m.id] } })}>Remove</Button>
    </>
  );
}
