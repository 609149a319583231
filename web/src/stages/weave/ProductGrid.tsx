import type { Reel, Track } from "../../api/client";
import { cell } from "./Crossing";
import { loudest, placesOf } from "./channels";
import { chooseCrossing, foldHeads, groupKey, useWeaveChoice } from "./choice";
import { Grid } from "./grid/Grid";
import { outputHead } from "./words";

type Props = { reel: Reel; rows: Track[]; chosen: string; onChoose: (id: string) => void };

/** What each output gets of each track: the product of the grids, as the server computes it. */
export function ProductGrid({ reel, rows, chosen, onChoose }: Props) {
  const folded = useWeaveChoice((s) => s.folded);
  const places = placesOf(reel, folded);
  const at = new Map(reel.doc.tracks.map((t, i) => [t.id, i]));
  const busOf = (id: string) => reel.doc.weave.buses.find((b) => b.id === id);
  return (
    <Grid
      label="Tracks to outputs, the product"
      corner="Tracks to outputs"
      headWidth={148}
      colWidth={cell}
      columns={places.map((p) => ({
        key: `${p.at[0]}`,
        name: p.folded
          ? `${(p.at[0] ?? 0) + 1} to ${(p.at.at(-1) ?? 0) + 1}, ${p.layout}`
          : `${(p.at[0] ?? 0) + 1} ${p.output.name}`,
        short: p.folded ? `${(p.at[0] ?? 0) + 1}–${(p.at.at(-1) ?? 0) + 1}` : outputHead(p.output.name, p.at[0] ?? 0),
        bus: busOf(p.output.bus),
        fold: p.first ? { folded: p.folded, turn: () => foldHeads([groupKey(p.group)]) } : undefined,
      }))}
      rows={rows.map((t) => ({
        key: t.id,
        name: `${t.label} on the outputs`,
        on: t.id === chosen,
      }))}
      of={[reel, rows, folded]}
      head={(row) => (
        <span
          className={`ticket block truncate bg-panel px-2 py-0.5 ${rows[row]?.off ? "text-quiet" : ""}`}
          title={rows[row]?.label}
        >
          {rows[row]?.label}
        </span>
      )}
      cell={(row, col) => {
        const [t, p] = [rows[row], places[col]];
        if (!t || !p) return { value: 0, label: "", bus: undefined };
        const track = at.get(t.id) ?? -1;
        return {
          value: loudest(p.at.map((o) => loudest(reel.worked_out.product?.[o]?.[track]))),
          bus: busOf(p.output.bus),
          off: t.off || p.output.mute,
          label: `${t.label} on output ${(p.at[0] ?? 0) + 1}: its ways`,
        };
      }}
      press={({ row, col }) => {
        const [t, p] = [rows[row], places[col]];
        if (t && p) chooseCrossing(t.id, p.at[0] ?? 0);
      }}
      onRow={(row) => rows[row] && onChoose(rows[row].id)}
    />
  );
}
