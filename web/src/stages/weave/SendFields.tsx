import type { Bus, Patch, Reel, Send, Track } from "../../api/client";
import { channelsOf } from "../../editor/routes";
import { Button, Choice } from "../../ui/controls";
import { Levels } from "../../ui/Levels";
import { FieldWay } from "./FieldWay";
import { PlaceFields } from "./PlaceFields";
import { Line, NumberField } from "./parts";
import { clampGain } from "./TracksGrid";
import { firstPatch, ways, waysOf } from "./words";

type SendProps = {
  reel: Reel;
  track: Track;
  bus: Bus;
  send: Send;
  own: string[];
  put: (what: string, now: Send | null) => void;
};

/** How a track enters one bus. */
export function SendFields({ reel, track, bus, send, own, put }: SendProps) {
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
      {preset === "placed" && <PlaceFields reel={reel} track={track} bus={bus} patch={p} own={own} set={set} />}
      {preset === "matrix" && <Levels patch={p} own={own} channels={channels} set={set} />}
    </fieldset>
  );
}
