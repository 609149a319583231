import { memo } from "react";
import type { Bus, Reel, Send, Track } from "../../api/client";
import type { useEditReel } from "../../api/reel";
import { positionsOf, reroute, routeOf, routeTo, stemOf, stemsOf, unroute } from "../../editor/routes";
import { gain } from "../../format";
import { Choice } from "../../ui/controls";
import { colourOf, weaveOf } from "../../ui/stems";
import { Crossing, Heads, headWidth } from "./Crossing";
import { GainInput } from "./GainInput";
import { positions, ways } from "./words";

export type Edit = ReturnType<typeof useEditReel>["mutate"];
/** A channel of a bus, as a column. */
export type Channel = { bus: Bus; index: number; channel: string; name: string };

export const clampGain = (gain: number) => Math.max(-96, Math.min(24, gain));

type Props = {
  reel: Reel;
  rows: Track[];
  channels: Channel[];
  chosen: string;
  onChoose: (id: string) => void;
  edit: Edit;
};

/** The factor by which what is sent is heard in a channel of a bus: of its channels the one that is heard most. */
export function heard(reel: Reel, id: string, c: Channel): { value: number; moves: boolean } {
  const sent = reel.worked_out.sent?.[id]?.find((s) => s.to === c.bus.id);
  const row = sent?.factors[c.index] ?? [];
  return { value: row.reduce((m, f) => (Math.abs(f) > Math.abs(m) ? f : m), 0), moves: sent?.moves ?? false };
}

/** Tracks × channels of stems and parts. */
export function TracksGrid({ reel, rows, channels, chosen, onChoose, edit }: Props) {
  return (
    <table className="table-fixed border-separate border-spacing-0" aria-label="Tracks to stem channels">
      <thead>
        <tr>
          <th
            scope="col"
            className="sticky top-0 left-0 z-20 bg-ground text-left font-normal text-quiet"
            style={{ width: headWidth, minWidth: headWidth }}
          >
            Tracks to stems
          </th>
          <Heads columns={channels} />
        </tr>
      </thead>
      <tbody>
        {rows.map((t) => (
          <TrackRow
            key={t.id}
            reel={reel}
            track={t}
            channels={channels}
            on={t.id === chosen}
            onChoose={onChoose}
            edit={edit}
          />
        ))}
      </tbody>
    </table>
  );
}

type RowProps = Omit<Props, "rows" | "chosen"> & { track: Track; on: boolean };

/** One track: drawn anew where the reel changes or the row is chosen, and not for what is chosen elsewhere. */
const TrackRow = memo(function TrackRow({ reel, track: t, channels, on, onChoose, edit }: RowProps) {
  const route = routeOf(reel, t.id);
  return (
    <tr className={`h-7 ${on ? "bg-raised" : ""}`} onPointerDown={() => onChoose(t.id)}>
      <th
        scope="row"
        className={`sticky left-0 z-10 border-line border-t pr-2 text-left font-normal ${on ? "bg-raised" : "bg-ground"}`}
      >
        <RouteFields track={t} route={route} stem={stemOf(reel, t.id)} reel={reel} edit={edit} />
      </th>
      {channels.map((c) => {
        const { value, moves } = heard(reel, t.id, c);
        return (
          <Crossing
            key={c.name}
            value={value}
            moving={moves}
            bus={c.bus}
            off={t.off}
            label={`${t.label} to ${c.name}`}
            onClick={() => {
              const side = c.channel === "L" ? "left" : "right";
              if (route?.to !== c.bus.id) edit(routeTo(t, c.bus));
              else if (value !== 0) {
                // Off at this crossing: what is left is the other side, or nothing.
                if (route.patch.preset === side || t.layout !== "mono" || !/^[LR]$/.test(c.channel)) edit(unroute(t));
                else edit(routeTo(t, c.bus, side === "left" ? "right" : "left"));
              } else edit(routeTo(t, c.bus, "both"));
            }}
          />
        );
      })}
    </tr>
  );
});

type FieldProps = { track: Track; route: Send | undefined; stem: Bus | undefined; reel: Reel; edit: Edit };

function RouteFields({ track: t, route, stem, reel, edit }: FieldProps) {
  const preset = route?.patch.preset ?? "";
  return (
    <span className="flex items-center gap-1.5">
      <span aria-hidden="true" className={`h-6 w-2 shrink-0 ${weaveOf(stem)}`} style={{ color: colourOf(stem) }} />
      <span
        className={`ticket w-32 truncate bg-panel px-2 py-0.5 ${t.off ? "text-quiet" : ""}`}
        title={`${t.label}: ${t.off ? "off, " : ""}${reel.worked_out.ways[t.id] ?? ""}`}
      >
        {t.label}
      </span>
      <Choice
        aria-label={`Stem of ${t.label}`}
        style={{ height: 24 }}
        value={stem?.id ?? ""}
        className={`w-[88px] ${route ? "" : "text-caution"}`}
        onChange={(e) => {
          const to = stemsOf(reel).find((s) => s.id === e.target.value);
          edit(to ? routeTo(t, to) : unroute(t));
        }}
      >
        <option value="">no stem</option>
        {stemsOf(reel).map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
      </Choice>
      <Choice
        aria-label={`Position of ${t.label}`}
        title={reel.worked_out.ways[t.id]}
        style={{ height: 24 }}
        disabled={!route}
        value={route ? preset : positionsOf(t)[0]}
        className="w-[112px] disabled:opacity-60"
        onChange={(e) => {
          const to = positionsOf(t).find((p) => p === e.target.value);
          if (to !== undefined) edit(reroute(t, `put ${t.label} ${positions[to]}`, () => ({ patch: { preset: to } })));
        }}
      >
        {positionsOf(t).map((k) => (
          <option key={k} value={k}>
            {k === preset && (k === "left" || k === "right")
              ? `${k}, ${reel.worked_out.pairs[t.id] ? "pair" : "split"}`
              : positions[k]}
          </option>
        ))}
        {route && !positionsOf(t).some((k) => k === preset) && <option value={preset}>{ways[preset]}</option>}
      </Choice>
      <GainInput
        says={`Gain of ${t.label} in dB`}
        value={route?.gain_db ?? null}
        className="h-6 w-[72px] border border-line"
        save={(gain_db) => edit(reroute(t, `set ${t.label} to ${gain(gain_db)}`, () => ({ gain_db })))}
      />
    </span>
  );
}
