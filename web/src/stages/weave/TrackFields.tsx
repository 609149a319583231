import type { Reel, Track } from "../../api/client";
import type { WeaveChange } from "../../api/weave";
import { putSend } from "../../editor/routes";
import { openTreatment, treats } from "../../treatment/treating";
import { Button, Choice } from "../../ui/controls";
import { HearFields } from "./HearFields";
import { NameFields } from "./NameFields";
import { Line } from "./parts";
import { SendFields } from "./SendFields";
import type { Edit } from "./TracksGrid";

type Props = {
  reel: Reel;
  production: string;
  track: Track;
  /** The one after it, with which it may be a pair. */
  next: Track | undefined;
  edit: Edit;
  change: (what: string, c: WeaveChange) => void;
};

/** Where the chosen track is sent, and how it enters each bus. */
export function TrackFields({ reel, production, track, next, edit, change }: Props) {
  const sends = reel.doc.weave.sends[track.id] ?? [];
  const buses = reel.doc.weave.buses;
  const others = buses.filter((b) => !sends.some((s) => s.to === b.id));
  const own = reel.worked_out.layouts[track.layout] ?? [];
  const split = (way: "split" | "both") =>
    next &&
    change(`${track.label} and ${next.label}: ${way === "split" ? "a pair" : "mono on both sides"}`, {
      set_way: { tracks: [track.id, next.id], way },
    });
  return (
    <section aria-label={`Ways of ${track.label}`} className="flex flex-col gap-2">
      <h2 className="flex items-center gap-2">
        <span className="ticket truncate bg-raised px-2 py-0.5">{track.label}</span>
        <span className="text-quiet text-small">{track.layout}</span>
      </h2>
      <p data-testid="ways" className="text-quiet">
        {reel.worked_out.ways[track.id]}
      </p>
      <NameFields reel={reel} track={track} production={production} edit={edit} />
      <Line name="Listen">
        <HearFields id={track.id} name={track.label} />
      </Line>
      <Line name="Treatment">
        <Button aria-pressed={treats(track.treat)} onClick={() => openTreatment(reel, track.id)}>
          Filters and dynamics…
        </Button>
      </Line>
      {sends.map((s) => {
        const bus = buses.find((b) => b.id === s.to);
        return (
          bus && (
            <SendFields
              key={s.to}
              reel={reel}
              track={track}
              bus={bus}
              send={s}
              own={own}
              put={(what, now) => edit(putSend(track.id, what, s, now))}
            />
          )
        );
      })}
      {others.length > 0 && (
        <Line name={sends.length > 0 ? "Also to" : "Send to"}>
          <Choice
            aria-label="A further bus"
            value=""
            onChange={(e) => {
              const bus = others.find((b) => b.id === e.target.value);
              if (!bus) return;
              edit(() => ({
                what: `send ${track.label} to ${bus.name}, too`,
                actions: [{ route: { track: track.id, to: bus.id, also: sends.length > 0 } }],
              }));
            }}
          >
            <option value="">a bus…</option>
            {others.map((b) => (
              <option key={b.id} value={b.id}>
                {b.name}
              </option>
            ))}
          </Choice>
        </Line>
      )}
      {track.layout === "mono" && next?.layout === "mono" && sends.length > 0 && (
        <Line name={`With ${next.label}`}>
          <Button onClick={() => split("split")}>Make a pair</Button>
          <Button onClick={() => split("both")}>Mono on both</Button>
        </Line>
      )}
    </section>
  );
}
