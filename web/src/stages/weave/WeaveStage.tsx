import { Link } from "@tanstack/react-router";
import { Minus, Plus } from "lucide-react";
import { useCallback, useMemo, useState } from "react";
import { useEditReel, useGrow, useReel } from "../../api/reel";
import { useNulls, type WeaveChange } from "../../api/weave";
import { hearAll, hearAlone, hearOutputs } from "../../editor/heard";
import { positionsOf, reroute, routeTo, stemsOf } from "../../editor/routes";
import { useEditor } from "../../editor/store";
import { plural } from "../../format";
import { useProductionId } from "../../Shell";
import { actionsOn } from "../../timeline/useDrag";
import { TreatPanel } from "../../treatment/TreatPanel";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Empty, Key, StageHead } from "../../ui/controls";
import { type StemKind, stemKeys } from "../../ui/stems";
import { ReelChoice } from "../ReelChoice";
import { playIdentification, playOrStop, useGoOn } from "../reel/hearing";
import { PrintPanel } from "../reel/PrintPanel";
import { useTrackChoice } from "../reel/useTrackChoice";
import { BusBar } from "./BusBar";
import { BusFields, free } from "./BusFields";
import { type Channel, channelsOfBuses } from "./channels";
import { chooseBus, chooseOutput, chooseTrack, foldHeads, groupKey, useWeaveChoice } from "./choice";
import { HearAllAgain } from "./HearFields";
import { MixesGrid } from "./MixesGrid";
import { OutputFields } from "./OutputFields";
import { OutputsGrid } from "./OutputsGrid";
import { ProductGrid } from "./ProductGrid";
import { TemplatesPanel } from "./TemplatesPanel";
import { TrackFields } from "./TrackFields";
import { clampGain, TracksGrid } from "./TracksGrid";
import { WaysFields } from "./WaysFields";
import { WovenEdge } from "./WovenEdge";
import { positions } from "./words";

/** The routing as grids and their product: tracks × stems, stems × mixes, all of them × outputs, and tracks × outputs. */
export function WeaveStage() {
  const production = useProductionId();
  const { data: reel } = useReel(production);
  if (!reel) return null;
  return <Weave reel={reel} production={production} />;
}

type Props = { reel: NonNullable<ReturnType<typeof useReel>["data"]>; production: string };

function Weave({ reel, production }: Props) {
  const { mutate: edit } = useEditReel(production);
  const grow = useGrow(production);
  const nulls = useNulls();
  const [templates, setTemplates] = useState(false);
  const { rows, index, track, choose, arrows } = useTrackChoice(reel);
  const choice = useWeaveChoice();
  useGoOn(reel);
  const weave = reel.doc.weave;
  const change = useMemo(
    () => (what: string, c: WeaveChange | WeaveChange[], onSettled?: () => void) =>
      edit(() => ({ what, actions: [c].flat().map((weave) => ({ weave })) }), { onSettled }),
    [edit],
  );
  const null_ = useMemo(
    () => () => {
      const span = useEditor.getState().span;
      nulls.mutate({ reel: reel.id, ...(span ? { from: span.from, to: span.to } : {}) });
    },
    [nulls.mutate, reel.id],
  );
  const bus = weave.buses.find((b) => b.id === choice.bus);
  const list = useMemo<Command[]>(() => {
    const send = (kind: StemKind) => {
      const stem = stemsOf(reel).find((s) => s.kind === kind);
      if (track && stem) edit(routeTo(track, stem));
    };
    const raise = (by: number) =>
      track &&
      edit(
        reroute(track, `${by > 0 ? "raise" : "lower"} ${track.label}`, (r) => ({ gain_db: clampGain(r.gain_db + by) })),
      );
    const nextBus = () => {
      const at = weave.buses.findIndex((b) => b.id === choice.bus);
      const next = weave.buses[choice.what === "bus" ? (at + 1) % weave.buses.length : Math.max(0, at)];
      if (next) chooseBus(next.id);
    };
    const nextOutput = () =>
      chooseOutput(choice.what === "output" ? (choice.output + 1) % weave.outputs.length : choice.output);
    return [
      ...arrows.map((a) => ({
        ...a,
        run: () => {
          chooseTrack();
          a.run();
        },
      })),
      { id: "play", name: "Hear the reel from the pointer, or stop", key: " ", run: () => playOrStop(reel) },
      ...Object.entries(stemKeys).map(([key, kind]) => ({
        id: kind,
        name: `Send this track to ${kind}`,
        key,
        run: () => send(kind),
      })),
      { id: "up", name: "Gain up by 1 dB", key: "+", run: () => raise(1) },
      { id: "down", name: "Gain down by 1 dB", key: "-", run: () => raise(-1) },
      { id: "templates", name: "Weave by a template", key: "t", run: () => setTemplates(true) },
      { id: "bus", name: "Choose the next bus", key: "b", run: nextBus },
      { id: "output", name: "Choose the next output", key: "o", run: nextOutput },
      {
        id: "alone",
        name: "Hear what is chosen alone, with others that are, or no longer",
        key: "a",
        run: () => {
          if (choice.what === "output") hearOutputs([choice.output]);
          else if (choice.what === "bus" && choice.bus) hearAlone([choice.bus]);
          else if (track) hearAlone([track.id]);
        },
      },
      {
        id: "group alone",
        name: "Hear the group of the chosen output alone, or no longer",
        key: "g",
        run: () => {
          const group = weave.outputs[choice.output]?.group;
          if (choice.what !== "output") return;
          hearOutputs(
            weave.outputs.flatMap((o, i) => (i === choice.output || (group && o.group === group) ? [i] : [])),
          );
        },
      },
      { id: "all again", name: "Hear everything again", run: hearAll },
      {
        id: "fold",
        name: "Fold the stems and the groups of outputs, or unfold them",
        key: "mod+shift+f",
        run: () => foldHeads([...weave.buses.map((b) => b.id), ...(weave.groups ?? []).map((g) => groupKey(g.id))]),
      },
      {
        id: "grid",
        name: "Go into the grid of tracks and stems",
        key: "ArrowRight",
        run: () => document.querySelector<HTMLElement>('[role="grid"][aria-label="Tracks to stem channels"]')?.focus(),
      },
      { id: "nulls", name: "Compare the mixes with the sum of their stems", key: "n", run: null_ },
      {
        id: "pips",
        name: "Name the outputs in turn by tone and pips (P twice), or stop",
        key: "p",
        run: () => playIdentification(reel, false),
      },
      {
        id: "stem",
        name: "Add a stem",
        run: () =>
          change("add a stem", {
            add_bus: { bus: { name: free(weave.buses, "Stem"), role: "stem", layout: "stereo" } },
          }),
      },
      {
        id: "mix",
        name: "Add a mix of all stems",
        run: () =>
          change("add a mix", {
            add_bus: {
              bus: { name: free(weave.buses, "Full mix"), role: "mix" },
              members: stemsOf(reel).map((s) => ({ bus: s.id, gain_db: 0 })),
            },
          }),
      },
      ...(track ? positionsOf(track) : []).map((p) => ({
        id: `position ${p}`,
        name: `Position: ${positions[p]}`,
        run: () =>
          track && edit(reroute(track, `put ${track.label} ${positions[p]}`, () => ({ patch: { preset: p } }))),
      })),
    ];
  }, [reel, track, arrows, edit, change, null_, weave, choice]);
  useCommandList("Weave", list);

  const outputs = weave.outputs;
  const channels = useMemo<Channel[]>(() => channelsOfBuses(reel, choice.folded), [reel, choice.folded]);
  const woven = useMemo(() => channels.filter((c) => c.bus.role !== "mix"), [channels]);
  const onChoose = useCallback(
    (id: string) => {
      chooseTrack();
      choose(id);
    },
    [choose],
  );
  return (
    <>
      <StageHead
        title="Weave"
        says={`${plural(reel.doc.tracks.length, "track")} through ${plural(weave.buses.length, "bus", "buses")} to ${plural(outputs.length, "output")}`}
      >
        <ReelChoice production={production} reel={reel} />
        <HearAllAgain />
        <Button onClick={() => setTemplates(true)}>
          Templates… <Key>T</Key>
        </Button>
        <Button
          onClick={() =>
            change("add a stem", {
              add_bus: { bus: { name: free(weave.buses, "Stem"), role: "stem", layout: "stereo" } },
            })
          }
        >
          Add a stem
        </Button>
        <Button
          onClick={() =>
            change("add a mix", {
              add_bus: {
                bus: { name: free(weave.buses, "Full mix"), role: "mix" },
                members: stemsOf(reel).map((s) => ({ bus: s.id, gain_db: 0 })),
              },
            })
          }
        >
          Add a mix
        </Button>
        <label
          className="flex items-center gap-2 text-quiet"
          title="How one channel enters both sides of what has no centre, when nobody says otherwise. Ways that there are stay."
        >
          Mono on both sides at
          <Choice
            aria-label="Mono on both sides at"
            value={weave.law ?? 0}
            onChange={(e) =>
              change(`mono on both sides at ${e.target.value} dB from now on`, {
                set_law: { law: Number(e.target.value) as 0 },
              })
            }
          >
            {[0, -3, -4.5, -6].map((l) => (
              <option key={l} value={l}>
                {l} dB
              </option>
            ))}
          </Choice>
        </label>
        <span className="text-quiet">Outputs</span>
        <Button aria-label="One output fewer" disabled={outputs.length <= 1} onClick={() => grow.mutate(-1)}>
          <Minus size={14} />
        </Button>
        <output className="figures w-6 text-center">{outputs.length}</output>
        <Button aria-label="One output more" disabled={outputs.length >= 128} onClick={() => grow.mutate(1)}>
          <Plus size={14} />
        </Button>
      </StageHead>
      <BusBar reel={reel} />
      {nulls.data && (
        <ul aria-label="Null figures" className="border-line border-b px-4 py-1">
          {nulls.data.length === 0 && <li className="text-quiet">There is no mix to compare.</li>}
          {nulls.data.map((n) => (
            <li
              key={n.bus}
              className={n.worst_db == null ? "text-good" : n.worst_db < -120 ? "text-quiet" : "text-caution"}
            >
              {n.says}
            </li>
          ))}
        </ul>
      )}
      {nulls.isPending && (
        <p className="border-line border-b px-4 py-1 text-quiet">Comparing the mixes with the sums of their stems…</p>
      )}
      {rows.length === 0 ? (
        <Empty title="There is nothing to route yet">
          <p>Tracks appear here once takes are in the reel.</p>
          <Link to="/$production/takes" params={{ production }} className="text-focus underline">
            Go to Takes
          </Link>
        </Empty>
      ) : (
        <div className="flex min-h-0 flex-1">
          <div className="flex min-h-0 min-w-0 flex-1 flex-col">
            <div className="min-h-0 flex-1 overflow-auto pr-4 pb-4 [contain:strict]">
              <div className="flex w-max items-start gap-4">
                <TracksGrid
                  reel={reel}
                  rows={rows}
                  channels={woven}
                  chosen={track?.id ?? ""}
                  onChoose={onChoose}
                  edit={edit}
                />
                <ProductGrid reel={reel} rows={rows} chosen={track?.id ?? ""} onChoose={choose} />
              </div>
              <MixesGrid reel={reel} change={change} />
              <OutputsGrid reel={reel} channels={channels} change={change} />
            </div>
            <WovenEdge reel={reel} />
          </div>
          <aside
            aria-label="What is chosen"
            className="w-72 shrink-0 overflow-y-auto overflow-x-hidden border-line border-l bg-panel p-3"
          >
            {choice.what === "bus" && bus ? (
              <BusFields key={bus.id} reel={reel} bus={bus} change={change} edit={edit} />
            ) : choice.what === "crossing" ? (
              <WaysFields reel={reel} track={choice.track} output={choice.output} />
            ) : choice.what === "output" ? (
              <OutputFields reel={reel} at={Math.min(choice.output, outputs.length - 1)} change={change} />
            ) : (
              track && (
                <TrackFields
                  key={track.id}
                  reel={reel}
                  production={production}
                  track={track}
                  next={rows[index + 1]}
                  edit={edit}
                  change={change}
                />
              )
            )}
          </aside>
          <TreatPanel
            reel={reel}
            act={(what, ...actions) => edit((now) => ({ what, actions: actionsOn(now, actions) }))}
          />
        </div>
      )}
      <PrintPanel production={production} reel={reel} />
      <TemplatesPanel
        open={templates}
        onClose={() => setTemplates(false)}
        reel={reel}
        production={production}
        change={change}
      />
    </>
  );
}
