import { useState } from "react";
import type { Bus, Patch, Reel, Schemas } from "../../api/client";
import { Line, NumberField } from "./parts";
import { Room } from "./Room";
import type { Sender } from "./SendFields";

type Place = Schemas["Place"];
type PlacesProps = {
  reel: Reel;
  track: Sender;
  bus: Bus;
  /** Names of the track's channels. */
  own: string[];
  patch: Patch;
  set: (p: Patch, what?: string) => void;
};

/** Where each channel is put among the speakers, as a drawing and as figures. */
export function PlaceFields({ reel, track, bus, patch, own, set }: PlacesProps) {
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
