import { useState } from "react";
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
  const [draft, setDraft] = useState<{ at: number; name: string } | null>(null);
  const save = () => {
    const old = draft && outputs[draft.at];
    const name = draft?.name.trim() ?? "";
    if (draft && old && name !== "" && name !== old.name)
      change(`name output ${draft.at + 1} ${name}`, { set_output: { at: draft.at, name } });
    setDraft(null);
  };
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
          const first = group && outputs[i - 1]?.group !== o.group;
          const last = group && outputs[i + 1]?.group !== o.group;
          const on = what === "output" && output === i;
          return (
            <tr key={i} className={`h-7 ${on ? "bg-raised" : ""}`} onPointerDown={() => chooseOutput(i)}>
              <th
                scope="row"
                className={`sticky left-0 z-10 border-line border-t pr-2 text-left font-normal ${on ? "bg-raised" : "bg-ground"}`}
              >
                <span className="flex items-center gap-2">
                  <span className="figures w-6 text-right text-quiet">{i + 1}</span>
                  <span
                    aria-hidden="true"
                    className={`-my-1 h-7 w-1.5 border-quiet border-l-2 ${group ? "" : "invisible"} ${first ? "border-t-2" : ""} ${last ? "border-b-2" : ""}`}
                  />
                  <input
                    aria-label={`Name of output ${i + 1}`}
                    value={draft?.at === i ? draft.name : o.name}
                    maxLength={60}
                    onFocus={() => {
                      chooseOutput(i);
                      setDraft({ at: i, name: o.name });
                    }}
                    onChange={(e) => setDraft({ at: i, name: e.target.value })}
                    onBlur={save}
                    onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                    className="ticket h-6 w-40 bg-panel px-2"
                  />
                  {first && <span className="text-quiet text-small">{group.layout}</span>}
                  {!o.bus && <span className="text-caution">carries silence</span>}
                  <span className={`truncate text-small ${o.mute ? "text-caution" : "text-quiet"}`} title={apart(o)}>
                    {apart(o)}
                  </span>
                </span>
              </th>
              {channels.map((c) => {
                const on = o.bus === c.bus.id && o.channel === c.index;
                return (
                  <Crossing
                    key={c.name}
                    value={on ? 1 : 0}
                    bus={c.bus}
                    off={o.mute}
                    label={`${c.name} to output ${i + 1}`}
                    onClick={() =>
                      change(
                        on ? `silence output ${i + 1}` : `put ${c.name} on output ${i + 1}`,
                        on
                          ? { set_output: { at: i, bus: "" } }
                          : { set_output: { at: i, bus: c.bus.id, channel: c.index } },
                      )
                    }
                  />
                );
              })}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
