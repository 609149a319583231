import { useState } from "react";
import type { Bus, Patch, Reel, Send, Track } from "../../api/client";
import { useWays } from "../../api/weave";
import { channelsOf } from "../../editor/routes";
import { Button, Choice, TextField } from "../../ui/controls";
import { Levels } from "../../ui/Levels";
import { FieldWay } from "./FieldWay";
import { PlaceFields } from "./PlaceFields";
import { Line, NumberField } from "./parts";
import { clampGain } from "./TracksGrid";
import { ways } from "./words";

/** What is sent: a track, or a bus. */
export type Sender = Pick<Track, "id" | "label" | "layout">;

type SendProps = {
  reel: Reel;
  track: Sender;
  bus: Bus;
  send: Send;
  own: string[];
  /** It is a bus, which has no gain of its own to be sent before. */
  ofBus?: boolean;
  put: (what: string, now: Send | null) => void;
};

/** How a track, or a bus, enters one bus. */
export function SendFields({ reel, track, bus, send, own, ofBus, put }: SendProps) {
  const channels = channelsOf(reel, bus);
  const p = send.patch;
  const preset = p.preset ?? "";
  const { data: offered = [] } = useWays(track.layout, bus.layout, reel.doc.weave.law);
  const list = offered.map((w) => w.preset ?? "");
  const set = (patch: Patch, what = `how ${track.label} enters ${bus.name}`) => put(what, { ...send, patch });
  return (
    <fieldset className="flex min-w-0 flex-col gap-1 border-line border-t pt-2">
      <legend className="sr-only">{bus.name}</legend>
      <Line name={`to ${bus.name}`}>
        <Choice
          aria-label={`How ${track.label} enters ${bus.name}`}
          value={preset}
          className="w-full"
          onChange={(e) => {
            const first = offered.find((w) => (w.preset ?? "") === e.target.value);
            if (!first) return;
            const to = first.preset ?? "";
            // A matrix begins as what it takes the place of, to be changed from there.
            const now = reel.worked_out.sent?.[track.id]?.find((s) => s.to === bus.id)?.factors;
            const gain = 10 ** (send.gain_db / 20);
            const patch =
              to === "matrix" && now && send.gain_db > -96
                ? { preset: to, matrix: now.map((row) => row.map((f) => Number((f / gain).toFixed(9)))) }
                : first;
            set(patch, `${track.label}: ${ways[to]}`);
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
        {!ofBus && (
          <label className="flex items-center gap-1 text-quiet">
            <input
              type="checkbox"
              checked={send.pre ?? false}
              onChange={(e) => put(`${track.label} before its own gain`, { ...send, pre: e.target.checked })}
            />
            before its gain
          </label>
        )}
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
      {preset === "fold" && own.includes("LFE") && !channels.includes("LFE") && (
        <Line name="LFE">
          <label className="flex items-center gap-1">
            <input
              type="checkbox"
              checked={p.lfe !== undefined}
              onChange={(e) => set({ ...p, lfe: e.target.checked ? 0 : undefined }, `the LFE of ${track.label}`)}
            />
            goes along
          </label>
          {p.lfe !== undefined && (
            <NumberField
              says="LFE in the fold-down"
              value={p.lfe}
              unit="dB"
              from={-96}
              to={24}
              rest={0}
              save={(lfe) => set({ ...p, lfe }, `the LFE of ${track.label}`)}
            />
          )}
        </Line>
      )}
      {preset === "matrix" && (
        <Line name="Called">
          <Named
            value={p.name ?? ""}
            save={(name) => set({ ...p, name: name || undefined }, `call the matrix ${name}`)}
          />
        </Line>
      )}
      <FieldWay patch={p} set={set} />
      {preset === "placed" && <PlaceFields reel={reel} track={track} bus={bus} patch={p} own={own} set={set} />}
      {preset === "matrix" && <Levels patch={p} own={own} channels={channels} set={set} />}
    </fieldset>
  );
}

/** The name of a matrix, kept with Enter or on leaving it. */
function Named({ value, save }: { value: string; save: (name: string) => void }) {
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <TextField
      aria-label="Name of the matrix"
      placeholder="no name"
      className="w-full"
      maxLength={60}
      value={draft ?? value}
      onChange={(e) => setDraft(e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      onBlur={() => {
        if (draft !== null && draft.trim() !== value) save(draft.trim());
        setDraft(null);
      }}
    />
  );
}
