import type { Bus, Reel } from "../../api/client";
import { gain } from "../../format";
import { colourOf, weaveOf } from "../../ui/stems";
import { cell, headWidth } from "./Crossing";
import { type Change, chooseBus, useWeaveChoice } from "./choice";
import { Grid } from "./grid/Grid";
import { LayoutName } from "./LayoutName";

type Props = { reel: Reel; change: Change };
type Member = { bus: string; gain_db: number };

const members = (reel: Reel, mix: Bus): Member[] =>
  reel.doc.weave.buses.flatMap((b) =>
    (reel.doc.weave.sends[b.id] ?? []).filter((s) => s.to === mix.id).map((s) => ({ bus: b.id, gain_db: s.gain_db })),
  );

/** Stems and mixes × the mixes that are made of them, with the gain of each in it. */
export function MixesGrid({ reel, change }: Props) {
  const { what, bus } = useWeaveChoice();
  const buses = reel.doc.weave.buses;
  const mixes = buses.filter((b) => b.role === "mix");
  if (mixes.length === 0) return null;
  const rows = buses.filter((b) => b.role !== "part");
  const own = (row: number, col: number): Member | undefined => {
    const [b, m] = [rows[row], mixes[col]];
    return b && m ? members(reel, m).find((x) => x.bus === b.id) : undefined;
  };
  const set = (says: string, mix: Bus, list: Member[]) => change(says, { set_members: { id: mix.id, members: list } });
  return (
    <div className="mt-4">
      <Grid
        label="Stems to mixes"
        corner="Stems to mixes, each the sum of what is woven into it"
        headWidth={headWidth}
        colWidth={2 * cell}
        columns={mixes.map((m) => ({ key: m.id, name: m.name, bus: m, onHead: () => chooseBus(m.id) }))}
        rows={rows.map((b) => ({
          key: b.id,
          on: what === "bus" && b.id === bus,
        }))}
        of={[reel]}
        head={(row) => {
          const b = rows[row];
          return (
            b && (
              <button type="button" tabIndex={-1} className="flex items-center gap-1.5" onClick={() => chooseBus(b.id)}>
                <span aria-hidden="true" className={`h-6 w-2 ${weaveOf(b)}`} style={{ color: colourOf(b) }} />
                <span className="ticket bg-panel px-2 py-0.5">{b.name}</span>
                <span className="text-quiet text-small">
                  <LayoutName name={b.layout} />
                </span>
              </button>
            )
          );
        }}
        cell={(row, col) => {
          const [b, m] = [rows[row], mixes[col]];
          const v = own(row, col);
          return {
            value: v ? 10 ** (v.gain_db / 20) : 0,
            bus: b,
            none: b?.id === m?.id,
            label: b?.id === m?.id ? `${m?.name} itself` : `${b?.name} in ${m?.name}`,
          };
        }}
        press={({ row, col }) => {
          const [b, m] = [rows[row], mixes[col]];
          if (!b || !m || b.id === m.id) return;
          const all = members(reel, m);
          if (own(row, col))
            set(`take ${b.name} out of ${m.name}`, m, all.filter((x) => x.bus !== b.id)); // biome-ignore format: one thing
          else set(`weave ${b.name} into ${m.name}`, m, [...all, { bus: b.id, gain_db: 0 }]);
        }}
        put={(cells, says, done) => {
          const now = new Map<Bus, Member[]>();
          for (const { row, col, db } of cells) {
            const [b, m] = [rows[row], mixes[col]];
            if (!b || !m) continue;
            const rest = (now.get(m) ?? members(reel, m)).filter((x) => x.bus !== b.id);
            now.set(m, db === null ? rest : [...rest, { bus: b.id, gain_db: db }]);
          }
          const only = cells.length === 1 && cells[0] ? cells[0] : null;
          const name =
            only && only.db !== null && `set ${rows[only.row]?.name} to ${gain(only.db)} in ${mixes[only.col]?.name}`;
          change(
            name || says,
            [...now].map(([m, list]) => ({ set_members: { id: m.id, members: list } })),
            done,
          );
        }}
      />
    </div>
  );
}
