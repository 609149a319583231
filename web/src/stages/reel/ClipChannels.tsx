import { useState } from "react";
import type { Clip, EditAction, Patch } from "../../api/client";
import type { Row } from "../../timeline/geometry";
import { Button, Choice } from "../../ui/controls";
import { Levels } from "../../ui/Levels";
import { Panel } from "../../ui/Panel";

type Act = (what: string, ...actions: EditAction[]) => void;

/** Which channels a clip plays, and how: by a name where it is a pair, and by a level at every crossing. */
export function ClipChannels({ clip: c, row, ids, act }: { clip: Clip; row: Row; ids: string[]; act: Act }) {
  const [byHand, setByHand] = useState(false);
  const own = c.strands.map((_, i) =>
    c.strands.length === row.channels.length ? (row.channels[i] ?? "") : `${i + 1}`,
  );
  const play = (patch: Patch, what = "by levels of its own") =>
    act(`play ${c.name} ${what}`, { set: { clips: ids, patch } });
  const levels = (
    <Panel open={byHand} onOpenChange={setByHand} title={`Which channels ${c.name} plays`} className="max-w-[90vw] p-4">
      <p className="pb-2 text-quiet">
        A factor (0.5, −1) or a level (−3 dB) at every crossing: across, what was recorded; down, the channels of the
        track. Levels of a spreadsheet can be pasted.
      </p>
      <Levels
        patch={
          c.patch?.matrix
            ? c.patch
            : { preset: "matrix", matrix: row.channels.map((_, i) => own.map((_, j) => (i === j ? 1 : 0))) }
        }
        own={own}
        channels={row.channels}
        set={(p) => play({ preset: "matrix", matrix: p.matrix })}
      />
    </Panel>
  );
  const ways = waysOf(c.strands.length, row.channels.length);
  if (!ways)
    return c.strands.length > 1 || row.channels.length > 1 ? (
      <>
        <Button onClick={() => setByHand(true)}>Channels…</Button>
        {levels}
      </>
    ) : null;
  const now =
    Object.entries(ways).find(
      ([, w]) =>
        (w.patch.preset ?? "") === (c.patch?.preset ?? "") &&
        JSON.stringify(w.patch.matrix ?? null) === JSON.stringify(c.patch?.matrix ?? null),
    )?.[0] ?? (c.patch?.matrix ? "matrix" : "sides");
  return (
    <>
      <Choice
        aria-label="Which channels the clip plays"
        style={{ height: 24 }}
        className="w-40"
        value={now}
        onChange={(e) => {
          const w = ways[e.target.value];
          if (w) play(w.patch, w.name);
          else if (e.target.value === "hand") setByHand(true);
        }}
      >
        {Object.entries(ways).map(([k, w]) => (
          <option key={k} value={k}>
            {w.name}
          </option>
        ))}
        {now === "sides" && <option value="sides">{sided(c)}</option>}
        {now === "matrix" && <option value="matrix">levels of its own</option>}
        <option value="hand">levels by hand…</option>
      </Choice>
      {levels}
    </>
  );
}

type Ways = Record<string, { name: string; patch: Patch }>;

/** The ways that have a name in which so many strands enter a track of two sides. */
function waysOf(strands: number, channels: number): Ways | null {
  if (channels !== 2) return null;
  if (strands === 1) return single;
  return strands === 2 ? pair : null;
}

const single: Ways = {
  both: { name: "both sides, 0 dB", patch: { preset: "both" } },
  both_minus: { name: "both sides, −3 dB", patch: { preset: "both_minus" } },
  left: { name: "left only", patch: { preset: "left" } },
  right: { name: "right only", patch: { preset: "right" } },
};

const half = 0.5;

const pair: Ways = {
  plain: { name: "as recorded", patch: {} },
  exchanged: { name: "sides exchanged", patch: { preset: "exchanged" } },
  mid_side: { name: "mid and side decoded", patch: { preset: "mid_side" } },
  sum: {
    name: "summed to one, −6 dB each",
    patch: {
      preset: "matrix",
      matrix: [
        [half, half],
        [half, half],
      ],
    },
  },
  left: {
    name: "left on both",
    patch: {
      preset: "matrix",
      matrix: [
        [1, 0],
        [1, 0],
      ],
    },
  },
  right: {
    name: "right on both",
    patch: {
      preset: "matrix",
      matrix: [
        [0, 1],
        [0, 1],
      ],
    },
  },
};

/** A way between the sides in words: one that stands, or that moves. */
function sided({ patch }: Clip): string {
  if (patch?.moving?.length) return "position over time";
  const at = patch?.position ?? 0;
  const side = at === 0 ? "centre" : `${Math.round(Math.abs(at) * 100)} % ${at < 0 ? "left" : "right"}`;
  return patch?.preset === "pan" ? `${side}, ${patch.law ?? 0} dB` : side;
}
