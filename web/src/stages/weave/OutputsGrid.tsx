import { memo, useState } from "react";
import type { Output, Reel } from "../../api/client";
import type { WeaveChange } from "../../api/weave";
import { plural } from "../../format";
import { cell, headWidth } from "./Crossing";
import { type Channel, columnOf, type Place, placesOf } from "./channels";
import { type Change, chooseOutput, foldHeads, groupKey, useWeaveChoice } from "./choice";
import { Grid } from "./grid/Grid";
import { LayoutName } from "./LayoutName";

type Props = { reel: Reel; channels: Channel[]; change: Change };

/** What an output does beside carrying its channel, in words. */
const apart = (o: Output) =>
  [
    o.mute && "muted",
    o.trim_db ? `${o.trim_db > 0 ? "+" : ""}${o.trim_db.toFixed(1)} dB` : "",
    o.invert && "turned over",
    o.delay ? `${o.delay} samples late` : "",
  ]
    .filter(Boolean)
    .join(", ");

/** Channels of all buses × outputs. */
export function OutputsGrid({ reel, channels, change }: Props) {
  const { what, output, folded } = useWeaveChoice();
  const outputs = reel.doc.weave.outputs;
  const places = placesOf(reel, folded);
  const carries = (i: number, c: Channel) =>
    outputs[i]?.bus === c.bus.id && (c.index < 0 || outputs[i]?.channel === c.index);
  /** What is put where one output is, of one channel: in folded heads there is none to say which. */
  const one = (row: number, col: number) => {
    const [p, c] = [places[row], channels[col]];
    return p && c && !p.folded && c.index >= 0 ? { at: p.at[0] ?? 0, bus: c.bus.id, channel: c.index, c } : null;
  };
  return (
    <div className="mt-4">
      <Grid
        label="Stem channels to outputs"
        corner="Stems to outputs"
        headWidth={headWidth}
        colWidth={cell}
        columns={channels.map(columnOf)}
        rows={places.map((p) => ({
          key: `${p.at[0]}`,
          on: what === "output" && p.at.includes(output),
        }))}
        of={[reel, channels, folded]}
        head={(row) => {
          const p = places[row];
          if (!p) return null;
          const last = places[row + 1]?.group !== p.group;
          const edge = p.group ? `${p.first ? "border-t-2" : ""} ${last ? "border-b-2" : ""}` : "invisible";
          return <OutputHead place={p} at={p.at[0] ?? 0} edge={edge} change={change} />;
        }}
        cell={(row, col) => {
          const [p, c] = [places[row], channels[col]];
          if (!p || !c) return { value: 0, label: "", bus: undefined };
          const label = p.folded ? `${c.name} on a group of outputs` : `${c.name} to output ${(p.at[0] ?? 0) + 1}`;
          const on = p.at.some((i) => carries(i, c));
          return { value: on ? 1 : 0, bus: c.bus, off: p.output.mute, none: !one(row, col), label };
        }}
        press={({ row, col }) => {
          const to = one(row, col);
          if (!to) return chooseOutput(places[row]?.at[0] ?? 0);
          const { at, bus, channel, c } = to;
          if (carries(at, c)) change(`silence output ${at + 1}`, { set_output: { at, bus: "" } });
          else change(`put ${c.name} on output ${at + 1}`, { set_output: { at, bus, channel } });
        }}
        put={(cells, _, done) => {
          const changes = cells.flatMap(({ row, col, db }): WeaveChange[] => {
            const to = one(row, col);
            if (!to) return [];
            const { at, bus, channel, c } = to;
            if (db !== null) return [{ set_output: { at, bus, channel, trim_db: db } }];
            return carries(at, c) ? [{ set_output: { at, bus: "" } }] : [];
          });
          if (changes.length > 0) change(`what ${plural(changes.length, "output")} carry`, changes, done);
          else done();
        }}
        onRow={(row) => chooseOutput(places[row]?.at[0] ?? 0)}
      />
    </div>
  );
}

type HeadProps = {
  place: Place;
  /** The output, or the first of a folded group. */
  at: number;
  /** Classes of the bracket around a group. */
  edge: string;
  change: Change;
};

/** One output, or a folded group. */
const OutputHead = memo(function OutputHead({ place: p, at: i, edge, change }: HeadProps) {
  const o = p.output;
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    const name = draft?.trim() ?? "";
    if (name !== "" && name !== o.name) change(`name output ${i + 1} ${name}`, { set_output: { at: i, name } });
    setDraft(null);
  };
  return (
    <span className="flex items-center gap-2">
      <span className="figures w-6 text-right text-quiet">{i + 1}</span>
      <span aria-hidden="true" className={`-my-1 h-7 w-1.5 border-quiet border-l-2 ${edge}`} />
      {p.folded ? (
        <span className="ticket w-40 truncate bg-panel px-2 py-0.5">
          to {(p.at.at(-1) ?? 0) + 1}, from {o.name}
        </span>
      ) : (
        <input
          aria-label={`Name of output ${i + 1}`}
          value={draft ?? o.name}
          maxLength={60}
          onFocus={() => {
            chooseOutput(i);
            setDraft(o.name);
          }}
          onChange={(e) => setDraft(e.target.value)}
          onBlur={save}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          className="ticket h-6 w-40 bg-panel px-2"
        />
      )}
      {p.first && (
        <button
          type="button"
          aria-expanded={!p.folded}
          aria-label={`${p.folded ? "Unfold" : "Fold"} the group of output ${i + 1}`}
          className="text-quiet text-small hover:text-focus"
          onClick={() => foldHeads([groupKey(p.group)])}
        >
          {p.folded ? "▸" : "▾"} <LayoutName name={p.layout} />
        </button>
      )}
      {!o.bus && !p.folded && <span className="text-caution">carries silence</span>}
      <span className={`truncate text-small ${o.mute ? "text-caution" : "text-quiet"}`} title={apart(o)}>
        {apart(o)}
      </span>
    </span>
  );
});
