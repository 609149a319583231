import { memo } from "react";
import type { Output, Reel, Track } from "../../api/client";
import { Crossing, Heads } from "./Crossing";
import { chooseCrossing } from "./choice";
import { outputHead } from "./words";

const busOf = (reel: Reel, o: Output) => reel.doc.weave.buses.find((b) => b.id === o.bus);

/** Of a track's channels, the factor of the one that is heard most. */
const loudest = (factors: number[] | undefined) =>
  (factors ?? []).reduce((most, f) => (Math.abs(f) > Math.abs(most) ? f : most), 0);

/** What each output gets of each track: the product of the grids, as the server computes it. */
export function ProductGrid({ reel, rows, chosen }: { reel: Reel; rows: Track[]; chosen: string }) {
  const column = new Map(reel.doc.tracks.map((t, i) => [t.id, i]));
  const outputs = reel.doc.weave.outputs;
  return (
    <table className="table-fixed border-separate border-spacing-0" aria-label="Tracks to outputs, the product">
      <thead>
        <tr>
          <Heads
            columns={outputs.map((o, i) => ({
              name: `${i + 1} ${o.name}`,
              short: outputHead(o.name, i),
              bus: busOf(reel, o),
            }))}
          />
        </tr>
      </thead>
      <tbody>
        {rows.map((t) => (
          <ProductRow key={t.id} reel={reel} track={t} column={column.get(t.id) ?? -1} on={t.id === chosen} />
        ))}
      </tbody>
    </table>
  );
}

type RowProps = { reel: Reel; track: Track; column: number; on: boolean };

const ProductRow = memo(function ProductRow({ reel, track: t, column, on }: RowProps) {
  return (
    <tr aria-label={`${t.label} on the outputs`} className={`h-7 ${on ? "bg-raised" : ""}`}>
      {reel.doc.weave.outputs.map((o, i) => (
        <Crossing
          key={o.name}
          value={loudest(reel.worked_out.product?.[i]?.[column])}
          bus={busOf(reel, o)}
          off={t.off || o.mute}
          label={`${t.label} on output ${i + 1}: its ways`}
          onClick={() => chooseCrossing(t.id, i)}
        />
      ))}
    </tr>
  );
});
