import { Link } from "@tanstack/react-router";
import { Minus, Plus } from "lucide-react";
import { useMemo, useState } from "react";
import type { Bus, Output, Reel, Send, Track } from "../../api/client";
import { useEditReel, useGrow, useReel } from "../../api/reel";
import {
  channelsOf,
  type Position,
  positionsOf,
  reroute,
  routeOf,
  routeTo,
  stemOf,
  stemsOf,
  unroute,
} from "../../editor/routes";
import { factor, gain, plural } from "../../format";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Empty, StageHead } from "../../ui/controls";
import { kindOf, type StemKind, stemColour, stemKeys, stemWeave } from "../../ui/stems";
import { useTrackChoice } from "../reel/useTrackChoice";

const positions: Record<Position, string> = {
  both: "both, 0 dB",
  both_minus: "both, −3 dB",
  left: "left only",
  right: "right only",
  "": "as it is",
};

/** Factors of a position into the left and the right of a stem, before its gain. */
const shares: Record<Position, [number, number]> = {
  both: [1, 1],
  both_minus: [Math.SQRT1_2, Math.SQRT1_2],
  left: [1, 0],
  right: [0, 1],
  "": [1, 1],
};

/** The factor of the channel of a stem that a send goes into: what this stage can't put anywhere is shown by the product alone. */
function share(send: Send | undefined, c: Channel): number {
  if (!send || send.to !== c.stem.id) return 0;
  const position = (send.patch.preset ?? "") as Position;
  const side = position === "" ? 0 : ["L", "R"].indexOf(c.channel);
  return (shares[position]?.[side] ?? 0) * 10 ** (send.gain_db / 20);
}

const cell = 48; // px: width of a stem channel or an output
const headWidth = 440; // px: track heads with their routes

type Edit = ReturnType<typeof useEditReel>["mutate"];
type Channel = { stem: Bus; index: number; channel: string; name: string };

/** The routing as two grids and their product: tracks × stem channels, stem channels × outputs, tracks × outputs. */
export function WeaveStage() {
  const production = useProductionId();
  const { data: reel } = useReel(production);
  const { mutate: edit } = useEditReel(production);
  const width = useGrow(production);
  const { rows, track, choose, arrows } = useTrackChoice(reel);
  const list = useMemo<Command[]>(() => {
    const send = (kind: StemKind) => {
      const stem = reel && stemsOf(reel).find((s) => s.kind === kind);
      if (track && stem) edit(routeTo(track, stem));
    };
    const raise = (by: number) =>
      track &&
      edit(reroute(track, `${by > 0 ? "raise" : "lower"} ${track.label}`, (r) => ({ gain_db: clamp(r.gain_db + by) })));
    return [
      ...arrows,
      ...Object.entries(stemKeys).map(([key, kind]) => ({
        id: kind,
        name: `Send this track to ${kind}`,
        key,
        run: () => send(kind),
      })),
      {
        id: "up",
        name: "Gain up by 1 dB",
        key: "+",
        run: () => raise(1),
      },
      {
        id: "down",
        name: "Gain down by 1 dB",
        key: "-",
        run: () => raise(-1),
      },
      ...(track ? positionsOf(track) : []).map((p) => ({
        id: `position ${p}`,
        name: `Position: ${positions[p]}`,
        run: () =>
          track && edit(reroute(track, `put ${track.label} ${positions[p]}`, () => ({ patch: { preset: p } }))),
      })),
    ];
  }, [reel, track, arrows, edit]);
  useCommandList("Weave", list);
  if (!reel) return null;

  const stems = stemsOf(reel);
  const outputs = reel.doc.weave.outputs;
  const channels: Channel[] = stems.flatMap((stem) =>
    channelsOf(reel, stem).map((channel, index) => ({ stem, index, channel, name: `${stem.name} ${channel}` })),
  );
  return (
    <>
      <StageHead
        title="Weave"
        says={`${reel.name}: ${plural(reel.doc.tracks.length, "track")} through ${plural(stems.length, "stem")} to ${plural(outputs.length, "output")}`}
      >
        <span className="text-quiet">Outputs</span>
        <Button aria-label="One output fewer" disabled={outputs.length <= 1} onClick={() => width.mutate(-1)}>
          <Minus size={14} />
        </Button>
        <output className="figures w-6 text-center">{outputs.length}</output>
        <Button aria-label="One output more" disabled={outputs.length >= 64} onClick={() => width.mutate(1)}>
          <Plus size={14} />
        </Button>
      </StageHead>
      {rows.length === 0 ? (
        <Empty title="There is nothing to route yet">
          <p>Tracks appear here once takes are in the reel.</p>
          <Link to="/$production/takes" params={{ production }} className="text-focus underline">
            Go to Takes
          </Link>
        </Empty>
      ) : (
        <div className="min-h-0 flex-1 overflow-auto p-4">
          <div className="flex w-max gap-8">
            <TracksGrid
              reel={reel}
              rows={rows}
              channels={channels}
              chosen={track?.id ?? ""}
              onChoose={choose}
              edit={edit}
            />
            <ProductGrid reel={reel} rows={rows} chosen={track?.id ?? ""} />
          </div>
          <OutputsGrid reel={reel} channels={channels} edit={edit} />
        </div>
      )}
    </>
  );
}

const clamp = (gain: number) => Math.max(-96, Math.min(24, gain));

function Heads({ channels }: { channels: { name: string; kind: StemKind | undefined }[] }) {
  return (
    <>
      {channels.map((c) => (
        <th
          key={c.name}
          scope="col"
          className="h-9 p-0 font-normal text-small"
          style={{ width: cell, minWidth: cell, color: stemColour(c.kind) }}
        >
          {c.name}
          <span aria-hidden="true" className={`mx-auto mt-0.5 block h-1.5 w-8 ${stemWeave(c.kind)}`} />
        </th>
      ))}
    </>
  );
}

function TracksGrid({
  reel,
  rows,
  channels,
  chosen,
  onChoose,
  edit,
}: {
  reel: Reel;
  rows: Track[];
  channels: Channel[];
  chosen: string;
  onChoose: (id: string) => void;
  edit: Edit;
}) {
  return (
    <table className="table-fixed border-separate border-spacing-0" aria-label="Tracks to stem channels">
      <thead>
        <tr>
          <th
            scope="col"
            className="text-left font-normal text-quiet"
            style={{ width: headWidth, minWidth: headWidth }}
          >
            Tracks to stems
          </th>
          <Heads channels={channels.map((c) => ({ name: c.name, kind: kindOf(c.stem) }))} />
        </tr>
      </thead>
      <tbody>
        {rows.map((t) => {
          const route = routeOf(reel, t.id);
          const stem = stemOf(reel, t.id);
          return (
            <tr key={t.id} className={`h-7 ${t.id === chosen ? "bg-raised" : ""}`} onPointerDown={() => onChoose(t.id)}>
              <th scope="row" className="border-line border-t pr-2 text-left font-normal">
                <RouteFields track={t} route={route} stem={stem} reel={reel} edit={edit} />
              </th>
              {channels.map((c) => (
                <Crossing
                  key={c.name}
                  value={share(route, c)}
                  stem={c.stem}
                  off={t.off}
                  label={`${t.label} to ${c.name}`}
                  onClick={() => {
                    const side = c.channel === "L" ? "left" : "right";
                    if (route?.to !== c.stem.id) edit(routeTo(t, c.stem));
                    else if (share(route, c) > 0) {
                      // Off at this crossing: what is left is the other side, or nothing.
                      if (route.patch.preset === side || t.layout !== "mono") edit(unroute(t));
                      else edit(routeTo(t, c.stem, side === "left" ? "right" : "left"));
                    } else edit(routeTo(t, c.stem, "both"));
                  }}
                />
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function RouteFields({
  track: t,
  route,
  stem,
  reel,
  edit,
}: {
  track: Track;
  route: Send | undefined;
  stem: Bus | undefined;
  reel: Reel;
  edit: Edit;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    const v = Number(draft?.replace("−", "-").replace(",", "."));
    if (draft !== null && route && Number.isFinite(v) && v !== route.gain_db) {
      const gain_db = clamp(v);
      edit(reroute(t, `set ${t.label} to ${gain(gain_db)}`, () => ({ gain_db })));
    }
    setDraft(null);
  };
  return (
    <span className="flex items-center gap-1.5">
      <span
        aria-hidden="true"
        className={`h-6 w-2 shrink-0 ${stemWeave(kindOf(stem))}`}
        style={{ color: stemColour(kindOf(stem)) }}
      />
      <span
        className={`ticket w-32 truncate bg-panel px-2 py-0.5 ${t.off ? "text-quiet" : ""}`}
        title={t.off ? `${t.label}: off` : t.label}
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
        style={{ height: 24 }}
        disabled={!route}
        value={route?.patch.preset ?? positionsOf(t)[0]}
        className="w-[112px] disabled:opacity-60"
        onChange={(e) => {
          const preset = e.target.value as Position;
          edit(reroute(t, `put ${t.label} ${positions[preset]}`, () => ({ patch: { preset } })));
        }}
      >
        {positionsOf(t).map((k) => (
          <option key={k} value={k}>
            {positions[k]}
          </option>
        ))}
        {route && !positionsOf(t).some((k) => k === (route.patch.preset ?? "")) && (
          <option value={route.patch.preset}>{route.patch.preset}</option>
        )}
      </Choice>
      <input
        aria-label={`Gain of ${t.label} in dB`}
        disabled={!route}
        value={draft ?? (route ? gain(route.gain_db) : "")}
        onFocus={(e) => {
          setDraft(String(route?.gain_db ?? 0));
          requestAnimationFrame(() => e.target.select());
        }}
        onChange={(e) => setDraft(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setDraft(null);
        }}
        className="figures h-6 w-[72px] border border-line bg-ground px-1 text-right"
      />
    </span>
  );
}

/** One crossing of a grid: woven in the stem's pattern where thread meets thread, with its level. */
function Crossing({
  value,
  stem,
  off,
  label,
  onClick,
}: {
  value: number;
  stem: Bus | undefined;
  off?: boolean;
  label: string;
  onClick?: () => void;
}) {
  const text = factor(value);
  const inside = (
    <span className="relative flex h-full w-full items-center justify-center">
      {value > 0 && (
        <span
          aria-hidden="true"
          className={`absolute inset-1 ${stemWeave(kindOf(stem))}`}
          style={{ color: `color-mix(in srgb, ${stemColour(kindOf(stem))} ${off ? 15 : 45}%, transparent)` }}
        />
      )}
      {text && (
        <span className={`figures relative bg-ground px-0.5 text-small ${off ? "text-quiet" : ""}`}>{text}</span>
      )}
    </span>
  );
  return (
    <td className="border-line border-t border-l p-0" style={{ width: cell, height: 28 }}>
      {onClick ? (
        <button
          type="button"
          aria-label={label}
          aria-pressed={value > 0}
          className="h-7 w-full hover:bg-line"
          onClick={onClick}
        >
          {inside}
        </button>
      ) : (
        inside
      )}
    </td>
  );
}

const busOf = (reel: Reel, o: Output) => reel.doc.weave.buses.find((b) => b.id === o.bus);

/** Of a track's channels, the factor of the one that is heard most. */
const loudest = (factors: number[] | undefined) =>
  (factors ?? []).reduce((most, f) => (Math.abs(f) > Math.abs(most) ? f : most), 0);

/** What each output gets of each track: the product of the two grids, as the server computes it. */
function ProductGrid({ reel, rows, chosen }: { reel: Reel; rows: Track[]; chosen: string }) {
  const column = new Map(reel.doc.tracks.map((t, i) => [t.id, i]));
  const outputs = reel.doc.weave.outputs;
  const kind = (o: Output) => kindOf(busOf(reel, o));
  return (
    <table className="table-fixed border-separate border-spacing-0" aria-label="Tracks to outputs, the product">
      <thead>
        <tr>
          <Heads channels={outputs.map((o, i) => ({ name: `${i + 1} ${o.name}`, kind: kind(o) }))} />
        </tr>
      </thead>
      <tbody>
        {rows.map((t) => (
          <tr
            key={t.id}
            aria-label={`${t.label} on the outputs`}
            className={`h-7 ${t.id === chosen ? "bg-raised" : ""}`}
          >
            {outputs.map((o, i) => (
              <Crossing
                key={o.name}
                value={loudest(reel.worked_out.product?.[i]?.[column.get(t.id) ?? -1])}
                stem={busOf(reel, o)}
                off={t.off}
                label=""
              />
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function OutputsGrid({ reel, channels, edit }: { reel: Reel; channels: Channel[]; edit: Edit }) {
  const { outputs } = reel.doc.weave;
  const [draft, setDraft] = useState<{ at: number; name: string } | null>(null);
  const put = (at: number, part: Partial<Output>, what: string) =>
    edit((now) => ({
      what,
      actions: [
        {
          set_outputs: {
            outputs: now.doc.weave.outputs.map((o, i) => (i === at ? { ...o, ...part } : o)),
            groups: now.doc.weave.groups,
          },
        },
      ],
    }));
  const save = () => {
    const old = draft && outputs[draft.at];
    if (draft && old && draft.name.trim() !== "" && draft.name.trim() !== old.name) {
      put(draft.at, { name: draft.name.trim() }, `name output ${draft.at + 1} ${draft.name.trim()}`);
    }
    setDraft(null);
  };
  return (
    <table className="mt-4 table-fixed border-separate border-spacing-0" aria-label="Stem channels to outputs">
      <thead>
        <tr>
          <th
            scope="col"
            className="text-left font-normal text-quiet"
            style={{ width: headWidth, minWidth: headWidth }}
          >
            Stems to outputs
          </th>
          <Heads channels={channels.map((c) => ({ name: c.name, kind: kindOf(c.stem) }))} />
        </tr>
      </thead>
      <tbody>
        {outputs.map((o, i) => (
          <tr key={i} className="h-7">
            <th scope="row" className="border-line border-t pr-2 text-left font-normal">
              <span className="flex items-center gap-2">
                <span className="figures w-6 text-right text-quiet">{i + 1}</span>
                <input
                  aria-label={`Name of output ${i + 1}`}
                  value={draft?.at === i ? draft.name : o.name}
                  maxLength={60}
                  onFocus={() => setDraft({ at: i, name: o.name })}
                  onChange={(e) => setDraft({ at: i, name: e.target.value })}
                  onBlur={save}
                  onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                  className="ticket h-6 w-40 bg-panel px-2"
                />
                {!o.bus && <span className="text-caution">carries silence</span>}
              </span>
            </th>
            {channels.map((c) => {
              const on = o.bus === c.stem.id && o.channel === c.index;
              return (
                <Crossing
                  key={c.name}
                  value={on ? 1 : 0}
                  stem={c.stem}
                  label={`${c.name} to output ${i + 1}`}
                  onClick={() =>
                    put(
                      i,
                      { bus: on ? "" : c.stem.id, channel: on ? 0 : c.index },
                      on ? `silence output ${i + 1}` : `put ${c.name} on output ${i + 1}`,
                    )
                  }
                />
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
