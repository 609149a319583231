import { useState } from "react";
import type { Bus, Patch, Reel, Schemas, Send, Track } from "../../api/client";
import type { WeaveChange } from "../../api/weave";
import { channelsOf } from "../../editor/routes";
import { Button, Choice } from "../../ui/controls";
import { Levels } from "../../ui/Levels";
import { FieldWay } from "./FieldWay";
import { Line, NumberField } from "./parts";
import { Room } from "./Room";
import { clampGain, type Edit } from "./TracksGrid";
import { firstPatch, ways, waysOf } from "./words";

type Place = Schemas["Place"];
type Props = {
  reel: Reel;
  track: Track;
  /** The one after it, with which it may be a pair. */
  next: Track | undefined;
  edit: Edit;
  change: (what: string, c: WeaveChange) => void;
};

/** Where the chosen track is sent, and how it enters each bus. */
export function TrackFields({ reel, track, next, edit, change }: Props) {
  const sends = reel.doc.weave.sends[track.id] ?? [];
  const buses = reel.doc.weave.buses;
  const others = buses.filter((b) => !sends.some((s) => s.to === b.id));
  const put = (what: string, list: Send[]) =>
    edit(() => ({ what, actions: [{ set_sends: { from: track.id, sends: list } }] }));
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
      {sends.map((s, i) => {
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
              put={(what, now) =>
                put(what, now ? sends.map((o, k) => (k === i ? now : o)) : sends.filter((o) => o !== s))
              }
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
              const preset = waysOf(track, bus, channelsOf(reel, bus), own)[0] ?? "matrix";
              put(`send ${track.label} to ${bus.name}, too`, [
                ...sends,
                { to: bus.id, gain_db: 0, patch: firstPatch(preset, own, channelsOf(reel, bus)) },
              ]);
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

type SendProps = {
  reel: Reel;
  track: Track;
  bus: Bus;
  send: Send;
  own: string[];
  put: (what: string, now: Send | null) => void;
};

function SendFields({ reel, track, bus, send, own, put }: SendProps) {
  const channels = channelsOf(reel, bus);
  const p = send.patch;
  const preset = p.preset ?? "";
  const list = waysOf(track, bus, channels, own);
  const set = (patch: Patch, what = `how ${track.label} enters ${bus.name}`) => put(what, { ...send, patch });
  return (
    <fieldset className="flex flex-col gap-1 border-line border-t pt-2">
      <legend className="sr-only">{bus.name}</legend>
      <Line name={`to ${bus.name}`}>
        <Choice
          aria-label={`How ${track.label} enters ${bus.name}`}
          value={preset}
          className="w-full"
          onChange={(e) => {
            const to = list.find((w) => w === e.target.value);
            if (to !== undefined) set(firstPatch(to, own, channels), `${track.label}: ${ways[to]}`);
          }}
        >
          {(list.includes(preset) ? list : [preset, ...list]).map((w) => (
            <option key={w} value={w}>
              {ways[w]}
            </option>
          ))}
        </Choice>
      </Line>
      <Line name="Gain">
        <NumberField
          says={`Gain of ${track.label} into ${bus.name}`}
          value={send.gain_db}
          unit="dB"
          from={-96}
          to={24}
          rest={0}
          save={(v) => put(`set ${track.label} to ${v} dB in ${bus.name}`, { ...send, gain_db: clampGain(v) })}
        />
        <label className="flex items-center gap-1 text-quiet">
          <input
            type="checkbox"
            checked={send.pre ?? false}
            onChange={(e) => put(`${track.label} before its own gain`, { ...send, pre: e.target.checked })}
          />
          before its gain
        </label>
        <Button onClick={() => put(`send ${track.label} no more to ${bus.name}`, null)}>Don't send</Button>
      </Line>
      {(preset === "pan" || preset === "summed") && (
        <Line name="Pan law">
          <Choice
            aria-label="Pan law"
            value={p.law ?? 0}
            onChange={(e) => set({ ...p, law: Number(e.target.value) as -3 })}
          >
            {[0, -3, -4.5, -6].map((l) => (
              <option key={l} value={l}>
                {l} dB {preset === "pan" ? "in the middle" : "each"}
              </option>
            ))}
          </Choice>
        </Line>
      )}
      {(preset === "pan" || preset === "balance") && (
        <Line name={preset === "pan" ? "Position" : "Balance"}>
          <NumberField
            says={preset === "pan" ? "Position, left negative" : "Balance, left negative"}
            value={(p.position ?? 0) * 100}
            unit="%"
            from={-100}
            to={100}
            rest={0}
            places={0}
            save={(v) => set({ ...p, position: v / 100 })}
          />
        </Line>
      )}
      {preset === "balance" && (
        <Line name="Width">
          <NumberField
            says="Width: 0 is mono"
            value={(p.width ?? 1) * 100}
            unit="%"
            from={0}
            to={200}
            rest={100}
            places={0}
            save={(v) => set({ ...p, width: v / 100 })}
          />
        </Line>
      )}
      <FieldWay patch={p} set={set} />
      {preset === "placed" && <Places reel={reel} track={track} bus={bus} patch={p} own={own} set={set} />}
      {preset === "matrix" && <Levels patch={p} own={own} channels={channels} set={set} />}
    </fieldset>
  );
}

type PlacesProps = Pick<SendProps, "reel" | "track" | "bus" | "own"> & {
  patch: Patch;
  set: (p: Patch, what?: string) => void;
};

/** Where each channel is put among the speakers, as a drawing and as figures. */
function Places({ reel, track, bus, patch, own, set }: PlacesProps) {
  const [carried, setCarried] = useState<Place[] | null>(null);
  const places = carried ?? patch.places ?? [];
  const sent = reel.worked_out.sent?.[track.id]?.find((s) => s.to === bus.id);
  const gainOf = 10 ** ((reel.doc.weave.sends[track.id]?.find((s) => s.to === bus.id)?.gain_db ?? 0) / 20);
  const names = reel.worked_out.layouts[bus.layout] ?? [];
  const speakers = names.flatMap((name, i) => {
    const d = reel.worked_out.directions[bus.layout]?.[name];
    const row = sent?.factors[i] ?? [];
    return d ? [{ name, ...d, factor: Math.hypot(...row) / (gainOf || 1) }] : [];
  });
  const put = (k: number, part: Partial<Place>) =>
    set({ ...patch, places: (patch.places ?? []).map((p, i) => (i === k ? { ...p, ...part } : p)) });
  const lfe = names.includes("LFE");
  return (
    <div className="flex flex-col gap-1">
      <Room
        speakers={speakers}
        places={places}
        onCarry={(k, place, done) => {
          const now = places.map((p, i) => (i === k ? place : p));
          setCarried(done ? null : now);
          if (done) set({ ...patch, places: now }, `carry ${track.label} to ${place.azimuth}°`);
        }}
      />
      {(patch.places ?? []).map((p, k) => (
        <div key={k} className="flex flex-col gap-1">
          {own.length > 1 && <span className="text-quiet">Channel {own[k]}</span>}
          <Line name="Azimuth">
            <NumberField
              says={`Azimuth of ${own[k] ?? "the sound"}, left positive`}
              value={p.azimuth ?? 0}
              unit="°"
              from={-180}
              to={180}
              rest={0}
              save={(v) => put(k, { azimuth: v })}
            />
          </Line>
          {speakers.some((s) => s.elevation > 1) && (
            <Line name="Height">
              <NumberField
                says="Elevation"
                value={p.elevation ?? 0}
                unit="°"
                from={-90}
                to={90}
                rest={0}
                save={(v) => put(k, { elevation: v })}
              />
            </Line>
          )}
          <Line name="To the middle">
            <NumberField
              says="How far towards the middle"
              value={(p.inward ?? 0) * 100}
              unit="%"
              from={0}
              to={100}
              rest={0}
              places={0}
              save={(v) => put(k, { inward: v / 100 })}
            />
          </Line>
          <Line name="Spread">
            <NumberField
              says="Spread"
              value={p.spread ?? 0}
              unit="°"
              from={0}
              to={360}
              rest={0}
              places={0}
              save={(v) => put(k, { spread: v })}
            />
          </Line>
          {names.includes("C") && (
            <Line name="Centre">
              <NumberField
                says="Share of the centre that goes to left and right"
                value={(p.divided ?? 0) * 100}
                unit="% to L and R"
                from={0}
                to={100}
                rest={0}
                places={0}
                save={(v) => put(k, { divided: v / 100 })}
              />
            </Line>
          )}
          {lfe && (
            <Line name="LFE">
              <input
                type="checkbox"
                aria-label="To the LFE, too"
                checked={p.lfe ?? false}
                onChange={(e) => put(k, { lfe: e.target.checked, lfe_db: p.lfe_db ?? -10 })}
              />
              {p.lfe && (
                <NumberField
                  says="LFE amount"
                  value={p.lfe_db ?? 0}
                  unit="dB"
                  from={-96}
                  to={0}
                  rest={-10}
                  save={(v) => put(k, { lfe_db: v })}
                />
              )}
            </Line>
          )}
        </div>
      ))}
    </div>
  );
}
