import { memo } from "react";
import type { Bus, EditAction, Reel, Send, Track } from "../../api/client";
import type { useEditReel } from "../../api/reel";
import { positionsOf, reroute, routeOf, routeTo, stemOf, stemsOf, unroute } from "../../editor/routes";
import { gain } from "../../format";
import { Choice } from "../../ui/controls";
import { colourOf, weaveOf } from "../../ui/stems";
import { cell, headWidth } from "./Crossing";
import { type Channel, columnOf, heard } from "./channels";
import { GainInput } from "./GainInput";
import type { Put } from "./grid/cells";
import { Grid } from "./grid/Grid";
import { positions, ways } from "./words";

export type Edit = ReturnType<typeof useEditReel>["mutate"];

export const clampGain = (gain: number) => Math.max(-96, Math.min(24, gain));

type Props = {
  reel: Reel;
  rows: Track[];
  channels: Channel[];
  chosen: string;
  onChoose: (id: string) => void;
  edit: Edit;
};

/** Tracks × channels of stems and parts. */
export function TracksGrid({ reel, rows, channels, chosen, onChoose, edit }: Props) {
  const stems = stemsOf(reel);
  const press = (row: number, col: number) => {
    const [t, c] = [rows[row], channels[col]];
    if (!t || !c) return;
    const route = routeOf(reel, t.id);
    const side = c.channel === "L" ? "left" : "right";
    if (route?.to !== c.bus.id) edit(routeTo(t, c.bus));
    else if (heard(reel, t.id, c).value !== 0) {
      // Off at this crossing: what is left is the other side, or nothing.
      if (route.patch.preset === side || t.layout !== "mono" || !/^[LR]$/.test(c.channel)) edit(unroute(t));
      else edit(routeTo(t, c.bus, side === "left" ? "right" : "left"));
    } else edit(routeTo(t, c.bus, "both"));
  };
  return (
    <Grid
      label="Tracks to stem channels"
      corner="Tracks to stems"
      headWidth={headWidth}
      colWidth={cell}
      columns={channels.map(columnOf)}
      rows={rows.map((t) => ({
        key: t.id,
        on: t.id === chosen,
      }))}
      of={[reel, rows, channels]}
      head={(row) => {
        const t = rows[row];
        return (
          t && (
            <RouteFields
              track={t}
              route={routeOf(reel, t.id)}
              stem={stemOf(reel, t.id)}
              stems={stems}
              says={reel.worked_out.ways[t.id] ?? ""}
              paired={t.id in reel.worked_out.pairs}
              edit={edit}
            />
          )
        );
      }}
      cell={(row, col) => {
        const [t, c] = [rows[row], channels[col]];
        if (!t || !c) return { value: 0, label: "", bus: undefined };
        const { value, moves } = heard(reel, t.id, c);
        return { value, moving: moves, bus: c.bus, off: t.off, label: `${t.label} to ${c.name}` };
      }}
      press={({ row, col }) => press(row, col)}
      put={(cells, what, onSettled) =>
        edit((now) => ({ what, actions: typed(now, cells, rows, channels) }), { onSettled })
      }
      onRow={(row) => rows[row] && onChoose(rows[row].id)}
    />
  );
}

/** What levels in cells come to: crossings, and in a folded stem the gain into it. */
function typed(reel: Reel, cells: Put[], rows: Track[], channels: Channel[]): EditAction[] {
  const crossings: NonNullable<NonNullable<EditAction["weave"]>["set_crossings"]>["crossings"] = [];
  const sends = new Map<string, Send[]>();
  for (const { row, col, db } of cells) {
    const [t, c] = [rows[row], channels[col]];
    if (!t || !c) continue;
    if (c.index >= 0) {
      crossings.push({ from: t.id, to: c.bus.id, channel: c.index, ...(db === null ? {} : { db }) });
      continue;
    }
    const was = sends.get(t.id) ?? reel.doc.weave.sends[t.id] ?? [];
    const other = was.filter((s) => s.to !== c.bus.id);
    const own = was.find((s) => s.to === c.bus.id);
    const plain: Send = { to: c.bus.id, gain_db: 0, patch: { preset: t.layout === "mono" ? "both" : "" } };
    sends.set(
      t.id,
      db === null
        ? other
        : own
          ? was.map((s) => (s === own ? { ...s, gain_db: db } : s))
          : [...was, { ...plain, gain_db: db }],
    );
  }
  return [
    ...(crossings.length > 0 ? [{ weave: { set_crossings: { crossings } } }] : []),
    ...[...sends].map(([from, sends]) => ({ set_sends: { from, sends } })),
  ];
}

type FieldProps = {
  track: Track;
  route: Send | undefined;
  stem: Bus | undefined;
  stems: Bus[];
  /** Where it is sent and how, in words. */
  says: string;
  paired: boolean;
  edit: Edit;
};

/** Drawn anew where what it shows is another: a change of the weave replaces all of it. */
const RouteFields = memo(Fields, (a, b) => {
  const { edit: _, ...was } = a;
  const { edit: __, ...is } = b;
  return a.track === b.track && JSON.stringify({ ...was, track: 0 }) === JSON.stringify({ ...is, track: 0 });
});

function Fields({ track: t, route, stem, stems, says, paired, edit }: FieldProps) {
  const preset = route?.patch.preset ?? "";
  return (
    <span className="flex items-center gap-1.5">
      <span aria-hidden="true" className={`h-6 w-2 shrink-0 ${weaveOf(stem)}`} style={{ color: colourOf(stem) }} />
      <span
        className={`ticket w-32 truncate bg-panel px-2 py-0.5 ${t.off ? "text-quiet" : ""}`}
        title={`${t.label}: ${t.off ? "off, " : ""}${says}`}
      >
        {t.label}
      </span>
      <Choice
        aria-label={`Stem of ${t.label}`}
        style={{ height: 24 }}
        value={stem?.id ?? ""}
        className={`w-[88px] ${route ? "" : "text-caution"}`}
        onChange={(e) => {
          const to = stems.find((s) => s.id === e.target.value);
          edit(to ? routeTo(t, to) : unroute(t));
        }}
      >
        <option value="">no stem</option>
        {stems.map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
      </Choice>
      <Choice
        aria-label={`Position of ${t.label}`}
        title={says}
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
            {k === preset && (k === "left" || k === "right") ? `${k}, ${paired ? "pair" : "split"}` : positions[k]}
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
