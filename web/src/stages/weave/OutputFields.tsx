import type { Reel } from "../../api/client";
import { useLayouts, type WeaveChange } from "../../api/weave";
import { hearOutputs } from "../../editor/heard";
import { useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { Button, Choice, Key, TextField } from "../../ui/controls";
import { playOrStop } from "../reel/hearing";
import { chooseOutput } from "./choice";
import { Line, NumberField } from "./parts";
import { Sounding } from "./Sounding";

type Props = { reel: Reel; at: number; change: (what: string, c: WeaveChange) => void };

/** What the chosen output does, its place, and its group. */
export function OutputFields({ reel, at, change }: Props) {
  const hearing = useMonitor((s) => s.hearing);
  const heard = useEditor((s) => s.heard);
  const { outputs, groups = [], buses } = reel.doc.weave;
  const o = outputs[at];
  if (!o) return null;
  const name = `output ${at + 1}`;
  const group = groups.find((g) => g.id === o.group);
  const first = group ? outputs.findIndex((x) => x.group === group.id) : at;
  const count = group ? outputs.filter((x) => x.group === group.id).length : 1;
  const set = (part: Omit<NonNullable<WeaveChange["set_output"]>, "at">, what: string) =>
    change(what, { set_output: { at, ...part } });
  const { data: layouts = [] } = useLayouts();
  const orders = layouts.find((l) => l.name === group?.layout)?.orders ?? [];
  const places = Array.from({ length: count }, (_, i) => first + i);
  const hear = (which: number[]) => {
    hearOutputs(which);
    if (!hearing) playOrStop(reel);
  };
  return (
    <section aria-label={`Output ${at + 1}`} className="flex flex-col gap-2">
      <h2 className="flex items-center gap-2">
        <span className="figures text-large">{at + 1}</span>
        <span className="ticket truncate bg-raised px-2 py-0.5">{o.name}</span>
        <span className="text-quiet text-small">{group ? `of a ${group.layout} group` : "stands alone"}</span>
      </h2>
      <Line name="Carries">
        <Choice
          aria-label="What the output carries"
          className="w-full"
          value={o.bus ? `${o.bus} ${o.channel}` : ""}
          onChange={(e) => {
            const [bus, channel] = e.target.value.split(/ (?=\d+$)/);
            set({ bus: bus ?? "", channel: Number(channel ?? 0) }, `what ${name} carries`);
          }}
        >
          <option value="">silence</option>
          {buses.flatMap((b) =>
            (reel.worked_out.layouts[b.layout] ?? []).map((c, i) => (
              <option key={`${b.id} ${c}`} value={`${b.id} ${i}`}>
                {b.name} {c}
              </option>
            )),
          )}
        </Choice>
      </Line>
      <Line name="Trim">
        <NumberField
          says="Trim"
          value={o.trim_db ?? 0}
          unit="dB"
          from={-96}
          to={24}
          rest={0}
          save={(v) => set({ trim_db: v }, `trim ${name} by ${v} dB`)}
        />
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={o.invert ?? false}
            onChange={(e) => set({ invert: e.target.checked }, `turn ${name} over`)}
          />
          polarity turned over
        </label>
      </Line>
      <Line name="Delay">
        <NumberField
          says="Delay"
          value={o.delay ?? 0}
          unit="samples"
          from={0}
          to={96000}
          rest={0}
          places={0}
          save={(v) => set({ delay: Math.round(v) }, `delay ${name} by ${v} samples`)}
        />
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={o.mute ?? false}
            onChange={(e) => set({ mute: e.target.checked }, `${o.mute ? "unmute" : "mute"} ${name}`)}
          />
          muted in the delivery
        </label>
      </Line>
      <Line name="Listen">
        <Button
          aria-pressed={heard.has(at)}
          aria-label={`Hear output ${at + 1} alone`}
          title="With other outputs that are heard alone, for listening only"
          className={heard.has(at) ? "outline outline-focus" : ""}
          onClick={() => hear([at])}
        >
          Alone <Key>A</Key>
        </Button>
        {group && (
          <Button
            aria-pressed={places.every((i) => heard.has(i))}
            aria-label={`Hear the group of output ${at + 1} alone`}
            className={places.every((i) => heard.has(i)) ? "outline outline-focus" : ""}
            onClick={() => hear(places)}
          >
            Its group <Key>G</Key>
          </Button>
        )}
      </Line>
      <Line name={group ? "Group" : "Place"}>
        <Button
          disabled={first === 0}
          onClick={() => {
            const to = before(outputs, first);
            change(`move ${name} before`, { move_outputs: { at: first, count, to } });
            chooseOutput(to + (at - first));
          }}
        >
          Before
        </Button>
        <Button
          disabled={first + count >= outputs.length}
          onClick={() => {
            const to = after(outputs, first + count) - count;
            change(`move ${name} after`, { move_outputs: { at: first, count, to } });
            chooseOutput(to + (at - first));
          }}
        >
          After
        </Button>
        <Button
          onClick={() => change(`put a silent output before ${name}`, { insert_outputs: { at: first, silence: 1 } })}
        >
          Insert silence
        </Button>
        <Button
          disabled={outputs.length <= count}
          className="text-bad"
          onClick={() => {
            change(count > 1 ? `remove the group of ${name}` : `remove ${name}`, {
              remove_outputs: { at: first, count },
            });
            chooseOutput(Math.max(0, first - 1));
          }}
        >
          Remove
        </Button>
      </Line>
      {group ? (
        <>
          {orders.length > 0 && (
            <Line name="Order">
              <Choice
                aria-label="Order of the group's speakers"
                value=""
                className="w-full"
                onChange={(e) =>
                  e.target.value &&
                  change(`put the group into ${e.target.value} order`, {
                    order_group: { group: group.id, order: e.target.value },
                  })
                }
              >
                <option value="">
                  {outputs
                    .slice(first, first + count)
                    .map((x) => speaker(reel, x))
                    .join(" ")}
                </option>
                {orders.map((v) => (
                  <option key={v.order} value={v.order}>
                    {v.name}
                  </option>
                ))}
              </Choice>
            </Line>
          )}
          <Line name="">
            <Button
              onClick={() => change(`let the outputs of ${group.layout} stand alone`, { ungroup: { group: group.id } })}
            >
              Let them stand alone
            </Button>
          </Line>
        </>
      ) : (
        <Line name="Group">
          <Choice
            aria-label="Make a group from here"
            value=""
            onChange={(e) =>
              e.target.value &&
              change(`group ${name} and after as ${e.target.value}`, { group_outputs: { at, layout: e.target.value } })
            }
          >
            <option value="">from here on…</option>
            {layouts
              .filter((l) => l.channels.length > 1 && l.kind !== "discrete" && at + l.channels.length <= outputs.length)
              .map((l) => (
                <option key={l.name} value={l.name}>
                  {l.says}
                </option>
              ))}
          </Choice>
        </Line>
      )}
      <Line name="Name all">
        <TextField
          aria-label="Rule for the names of outputs"
          defaultValue="{bus} {channel}"
          title="Fields: {bus} {channel} {number} {kind} {language}"
          className="w-full"
          onKeyDown={(e) =>
            e.key === "Enter" &&
            change("name the outputs by a rule", { name_outputs: { at: 0, count: 0, rule: e.currentTarget.value } })
          }
        />
        <span className="text-quiet text-small">Enter names every output by this rule.</span>
      </Line>
      <Sounding reel={reel} output={at} />
    </section>
  );
}

type Outputs = Reel["doc"]["weave"]["outputs"];

/** The speaker that an output carries. */
function speaker(reel: Reel, o: Outputs[number]): string {
  const bus = reel.doc.weave.buses.find((b) => b.id === o.bus);
  return (bus && reel.worked_out.layouts[bus.layout]?.[o.channel]) || "–";
}

/** Where the output or group before a place begins. */
function before(outputs: Outputs, first: number): number {
  const g = outputs[first - 1]?.group;
  return g ? outputs.findIndex((o) => o.group === g) : first - 1;
}

/** Where the output or group at a place ends. */
function after(outputs: Outputs, at: number): number {
  const g = outputs[at]?.group;
  return g ? outputs.findLastIndex((o) => o.group === g) + 1 : at + 1;
}
