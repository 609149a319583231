import { useState } from "react";
import type { Bus, Reel } from "../../api/client";
import { layoutSays, useLayouts, useWeavePreview, type WeaveChange } from "../../api/weave";
import { channelsOf, putLevel, putSend } from "../../editor/routes";
import { useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { openTreatment, treats } from "../../treatment/treating";
import { Button, Choice, TextField } from "../../ui/controls";
import { colourOf, stemColours, weaveOf } from "../../ui/stems";
import { playBus } from "../reel/hearing";
import { openPrint } from "../reel/printing";
import { HearFields } from "./HearFields";
import { LayoutsPanel } from "./LayoutsPanel";
import { Line, NumberField } from "./parts";
import { SendFields } from "./SendFields";
import type { Edit } from "./TracksGrid";

type Props = { reel: Reel; bus: Bus; change: (what: string, c: WeaveChange) => void; edit: Edit };

const roles = { stem: "stem", part: "part of a stem", mix: "mix, the sum of its members" };

/** What the chosen bus is. What a change would lose is shown before it is done. */
export function BusFields({ reel, bus, change, edit }: Props) {
  const [placing, setPlacing] = useState(false);
  const [asked, setAsked] = useState<{ what: string; c: WeaveChange; rows?: boolean } | null>(null);
  const buses = reel.doc.weave.buses;
  const at = buses.findIndex((b) => b.id === bus.id);
  const set = (part: Omit<NonNullable<WeaveChange["set_bus"]>, "id">, what: string) =>
    change(what, { set_bus: { id: bus.id, ...part } });
  const text = (name: string, value: string, most: number, save: (v: string) => void) => (
    <TextField
      key={value}
      aria-label={`${name} of the bus`}
      defaultValue={value}
      maxLength={most}
      className="w-full"
      onBlur={(e) => e.target.value.trim() !== value && save(e.target.value.trim())}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
  const level = reel.doc.weave.levels?.[bus.id];
  const setLevel = (part: Partial<NonNullable<typeof level>>, what: string) =>
    edit((now) => ({ what, actions: [putLevel(now, bus.id, part)] }));
  const sends = reel.doc.weave.sends[bus.id] ?? [];
  const alone = useMonitor((s) => s.hearing !== null && "reel" in s.hearing.of && s.hearing.of.bus === bus.id);
  const { data: offered = [] } = useLayouts();
  const layouts = [...new Set([bus.layout, ...offered.map((l) => l.name)])];
  const outs = reel.doc.weave.outputs.flatMap((o, i) => (o.bus === bus.id ? [i + 1] : []));
  return (
    <section aria-label={`Bus ${bus.name}`} className="flex flex-col gap-2">
      <h2 className="flex items-center gap-2">
        <span aria-hidden="true" className={`h-5 w-5 ${weaveOf(bus)}`} style={{ color: colourOf(bus) }} />
        <span className="ticket truncate bg-raised px-2 py-0.5">{bus.name}</span>
        <span className="text-quiet text-small">{roles[bus.role]}</span>
      </h2>
      <Line name="Name">
        {text("Name", bus.name, 60, (v) => v && set({ name: v }, `name the bus ${bus.name} ${v}`))}
      </Line>
      <Line name="Layout">
        <Choice
          aria-label="Layout of the bus"
          value={bus.layout}
          onChange={(e) =>
            setAsked({
              what: `make ${bus.name} ${layoutSays(e.target.value, offered)}`,
              c: { set_bus: { id: bus.id, layout: e.target.value } },
            })
          }
        >
          {layouts.map((l) => (
            <option key={l} value={l}>
              {layoutSays(l, offered)}
            </option>
          ))}
        </Choice>
        <Button onClick={() => setPlacing(true)}>Of one's own…</Button>
      </Line>
      {bus.role === "stem" && (
        <>
          <Line name="Kind">
            {text("Kind", bus.kind ?? "", 20, (v) => set({ kind: v }, `make ${bus.name} of kind ${v || "none"}`))}
          </Line>
          <Line name="Colour">
            <Choice
              aria-label="Colour of the bus"
              value={bus.colour ?? ""}
              onChange={(e) =>
                set(
                  { colour: stemColours.find((c) => c === e.target.value) ?? "" },
                  `colour ${bus.name} ${e.target.value || "by its kind"}`,
                )
              }
            >
              <option value="">that of its kind</option>
              {stemColours.map((c) => (
                <option key={c}>{c}</option>
              ))}
            </Choice>
          </Line>
        </>
      )}
      {bus.role !== "part" && (
        <Line name="Language">
          {text("Language", bus.language ?? "", 35, (v) =>
            set({ language: v }, `${bus.name} in ${v || "no language"}`),
          )}
        </Line>
      )}
      <Line name="Outputs">
        <span className={outs.length > 0 ? "figures" : "text-caution"}>{outs.join(" ") || "on none"}</span>
        <Button
          onClick={() =>
            change(`put ${bus.name} on further outputs`, {
              insert_outputs: { at: reel.doc.weave.outputs.length, bus: bus.id },
            })
          }
        >
          Add outputs for it
        </Button>
      </Line>
      <Line name="Listen">
        <Button
          aria-pressed={alone}
          className={alone ? "outline outline-focus" : ""}
          onClick={() => playBus(reel, bus)}
        >
          {alone ? "Stop" : "Hear it alone"}
        </Button>
        <HearFields id={bus.id} name={bus.name} />
      </Line>
      <Line name="Level">
        <NumberField
          says="Level of the bus"
          value={level?.gain_db ?? 0}
          unit="dB"
          from={-96}
          to={24}
          rest={0}
          save={(v) => setLevel({ gain_db: v }, `set ${bus.name} to ${v} dB`)}
        />
        {(level?.gain?.length ?? 0) > 0 && (
          <>
            <span className="text-quiet">and a gain that moves</span>
            <Button onClick={() => setLevel({ gain: undefined }, `let the gain of ${bus.name} stand still`)}>
              Take that away
            </Button>
          </>
        )}
      </Line>
      {sends.map((s) => {
        const target = buses.find((b) => b.id === s.to);
        return (
          target && (
            <SendFields
              key={s.to}
              reel={reel}
              track={{ id: bus.id, label: bus.name, layout: bus.layout }}
              bus={target}
              send={s}
              own={channelsOf(reel, bus)}
              ofBus
              put={(what, now) => edit(putSend(bus.id, what, s, now))}
            />
          )
        );
      })}
      <Line name="Treatment">
        <Button aria-pressed={treats(level?.treat)} onClick={() => openTreatment(reel, bus.id)}>
          Filters and dynamics…
        </Button>
      </Line>
      <Line name="Print">
        <Button
          title="What feeds it becomes one new recording, on a track of its own; of the span, where one is chosen in Reel"
          onClick={() => openPrint(reel, { bus: bus.id, ...(useEditor.getState().span ?? {}) })}
        >
          Print in place…
        </Button>
      </Line>
      <Line name="Order">
        <Button
          disabled={at === 0}
          onClick={() => change(`put ${bus.name} before`, { move_bus: { id: bus.id, index: at - 1 } })}
        >
          Before
        </Button>
        <Button
          disabled={at === buses.length - 1}
          onClick={() => change(`put ${bus.name} after`, { move_bus: { id: bus.id, index: at + 1 } })}
        >
          After
        </Button>
        {bus.role === "stem" && (
          <Button
            onClick={() =>
              change(`add a part to ${bus.name}`, {
                add_bus: {
                  bus: { name: free(buses, `${bus.name} part`), role: "part", of: bus.id, layout: bus.layout },
                  index: at + 1,
                },
              })
            }
          >
            Add a part
          </Button>
        )}
        {bus.role === "stem" && (
          <Button
            title="Such as a part Ines for Lav Ines, with its tracks sent into it as they are sent into the stem"
            onClick={() =>
              setAsked({ what: `parts of ${bus.name} by label`, c: { parts_by_label: { stem: bus.id } }, rows: true })
            }
          >
            Parts by label…
          </Button>
        )}
        <Button
          className="text-bad"
          onClick={() => setAsked({ what: `remove ${bus.name}`, c: { remove_bus: { id: bus.id } } })}
        >
          Remove
        </Button>
      </Line>
      <LayoutsPanel
        open={placing}
        onClose={() => setPlacing(false)}
        bus={bus}
        use={(layout) =>
          setAsked({ what: `make ${bus.name} a layout of its own`, c: { set_bus: { id: bus.id, layout } } })
        }
      />
      {asked && (
        <Asked
          reel={reel}
          what={asked.what}
          c={asked.c}
          rows={asked.rows ?? false}
          onDo={() => {
            change(asked.what, asked.c);
            setAsked(null);
          }}
          onLeave={() => setAsked(null)}
        />
      )}
    </section>
  );
}

/** A name that no bus has. */
export function free(buses: Bus[], name: string): string {
  const taken = new Set(buses.map((b) => b.name));
  let out = name;
  for (let n = 2; taken.has(out); n++) out = `${name} ${n}`;
  return out;
}

type AskedProps = { reel: Reel; what: string; c: WeaveChange; rows: boolean; onDo: () => void; onLeave: () => void };

/** What a change would lose, before it is done. One that loses nothing is done at once. */
function Asked({ reel, what, c, rows, onDo, onLeave }: AskedProps) {
  const { data, error } = useWeavePreview(reel.id, reel.version, c);
  const lost = data?.lost ?? [];
  return (
    <div role="alertdialog" aria-label={what} className="flex flex-col gap-2 border border-caution p-2">
      <p>
        {what.charAt(0).toUpperCase() + what.slice(1)}: {error ? error.message : !data && "looking what that does…"}
        {data && lost.length === 0 && !rows && "every route keeps its place."}
      </p>
      {rows && (
        <ul aria-label="What would change" className="max-h-40 overflow-auto text-small">
          {data?.rows
            .filter((r) => r.state !== "kept")
            .map((r) => (
              <li key={`${r.what} ${r.name}`}>
                {r.what} {r.name} {r.state}: <span className="text-quiet">{r.says}</span>
              </li>
            ))}
        </ul>
      )}
      {lost.length > 0 && (
        <ul className="max-h-40 list-disc overflow-auto pl-4 text-small">
          {lost.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ul>
      )}
      <span className="flex gap-2">
        <Button primary disabled={!data} onClick={onDo}>
          {lost.length > 0 ? "Do it all the same" : "Do it"}
        </Button>
        <Button onClick={onLeave}>Leave it</Button>
      </span>
    </div>
  );
}
