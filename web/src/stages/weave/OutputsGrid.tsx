import { memo, useState } from "react";
import type { Reel } from "../../api/client";
import type { WeaveChange } from "../../api/weave";
import { Crossing, Heads, headWidth } from "./Crossing";
import { chooseOutput, useWeaveChoice } from "./choice";
import type { Channel } from "./TracksGrid";

type Props = { reel: Reel; channels: Channel[]; change: (what: string, c: WeaveChange) => void };

/** What an output does beside carrying its channel, in words. */
const apart = (o: Reel["doc"]["weave"]["outputs"][number]) =>
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
  const { outputs, groups } = reel.doc.weave;
  const { what, output } = useWeaveChoice();
  return (
    <table className="mt-4 table-fixed border-separate border-spacing-0" aria-label="Stem channels to outputs">
      <thead>
        <tr>
          <th
            scope="col"
            className="sticky top-0 left-0 z-20 bg-ground text-left font-normal text-quiet"
            style={{ width: headWidth, minWidth: headWidth }}
          >
            Stems to outputs
          </th>
          <Heads columns={channels} />
        </tr>
      </thead>
      <tbody>
        {outputs.map((o, i) => {
          const group = groups?.find((g) => g.id === o.group);
          return (
            <OutputRow
              key={i}
              output={o}
              at={i}
              group={group && outputs[i - 1]?.group !== o.group ? group.layout : ""}
              edge={
                group
                  ? `${outputs[i - 1]?.group !== o.group ? "border-t-2" : ""} ${outputs[i + 1]?.group !== o.group ? "border-b-2" : ""}`
                  : "invisible"
              }
              on={what === "output" && output === i}
              channels={channels}
              change={change}
            />
          );
        })}
      </tbody>
    </table>
  );
}

type RowProps = Omit<Props, "reel"> & {
  output: Reel["doc"]["weave"]["outputs"][number];
  at: number;
  /** The layout of the group that begins here, if one does. */
  group: string;
  /** Classes of the bracket around a group. */
  edge: string;
  on: boolean;
};

/** One output: drawn anew where it changes or is chosen. */
const OutputRow = memo(function OutputRow({ output: o, at: i, group, edge, on, channels, change }: RowProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    const name = draft?.trim() ?? "";
    if (name !== "" && name !== o.name) change(`name output ${i + 1} ${name}`, { set_output: { at: i, name } });
    setDraft(null);
  };
  return (
    <tr className={`h-7 ${on ? "bg-raised" : ""}`} onPointerDown={() => chooseOutput(i)}>
      <th
        scope="row"
        className={`sticky left-0 z-10 border-line border-t pr-2 text-left font-normal ${on ? "bg-raised" : "bg-ground"}`}
      >
        <span className="flex items-center gap-2">
          <span className="figures w-6 text-right text-quiet">{i + 1}</span>
          <span aria-hidden="true" className={`-my-1 h-7 w-1.5 border-quiet border-l-2 ${edge}`} />
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
          {group && <span className="text-quiet text-small">{group}</span>}
          {!o.bus && <span className="text-caution">carries silence</span>}
          <span className={`truncate text-small ${o.mute ? "text-caution" : "text-quiet"}`} title={apart(o)}>
            {apart(o)}
          </span>
        </span>
      </th>
      {channels.map((c) => {
        const carries = o.bus === c.bus.id && o.channel === c.index;
        return (
          <Crossing
            key={c.name}
            value={carries ? 1 : 0}
            bus={c.bus}
            off={o.mute}
            label={`${c.name} to output ${i + 1}`}
            onClick={() =>
              change(
                carries ? `silence output ${i + 1}` : `put ${c.name} on output ${i + 1}`,
                carries
                  ? { set_output: { at: i, bus: "" } }
                  : { set_output: { at: i, bus: c.bus.id, channel: c.index } },
              )
            }
          />
        );
      })}
    </tr>
  );
});
