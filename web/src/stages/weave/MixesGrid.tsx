import type { Bus, Reel } from "../../api/client";
import type { WeaveChange } from "../../api/weave";
import { gain } from "../../format";
import { colourOf, weaveOf } from "../../ui/stems";
import { cell, headWidth } from "./Crossing";
import { chooseBus } from "./choice";
import { GainInput } from "./GainInput";

type Props = { reel: Reel; change: (what: string, c: WeaveChange) => void };

const members = (reel: Reel, mix: Bus) =>
  reel.doc.weave.buses.flatMap((b) =>
    (reel.doc.weave.sends[b.id] ?? []).filter((s) => s.to === mix.id).map((s) => ({ bus: b.id, gain_db: s.gain_db })),
  );

/** Stems and mixes × the mixes that are made of them, with the gain of each in it. */
export function MixesGrid({ reel, change }: Props) {
  const buses = reel.doc.weave.buses;
  const mixes = buses.filter((b) => b.role === "mix");
  if (mixes.length === 0) return null;
  const rows = buses.filter((b) => b.role !== "part");
  return (
    <table className="mt-4 table-fixed border-separate border-spacing-0" aria-label="Stems to mixes">
      <thead>
        <tr>
          <th
            scope="col"
            className="text-left font-normal text-quiet"
            style={{ width: headWidth, minWidth: headWidth }}
          >
            Stems to mixes, each the sum of what is woven into it
          </th>
          {mixes.map((m) => (
            <th
              key={m.id}
              scope="col"
              className="p-0 font-normal text-small"
              style={{ width: 2 * cell }}
              title={m.name}
            >
              <button
                type="button"
                className="h-9 w-full truncate px-1 hover:text-focus"
                onClick={() => chooseBus(m.id)}
              >
                {m.name}
                <span aria-hidden="true" className={`mx-auto mt-0.5 block h-1.5 w-12 ${weaveOf(m)}`} />
              </button>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((b) => (
          <tr key={b.id} className="h-7">
            <th scope="row" className="border-line border-t pr-2 text-left font-normal">
              <button type="button" className="flex items-center gap-1.5" onClick={() => chooseBus(b.id)}>
                <span aria-hidden="true" className={`h-6 w-2 ${weaveOf(b)}`} style={{ color: colourOf(b) }} />
                <span className="ticket bg-panel px-2 py-0.5">{b.name}</span>
                <span className="text-quiet text-small">{b.layout}</span>
              </button>
            </th>
            {mixes.map((m) => (
              <Member key={m.id} reel={reel} bus={b} mix={m} change={change} />
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Member({ reel, bus, mix, change }: Props & { bus: Bus; mix: Bus }) {
  const all = members(reel, mix);
  const own = all.find((m) => m.bus === bus.id);
  const set = (list: typeof all, what: string) => change(what, { set_members: { id: mix.id, members: list } });
  if (bus.id === mix.id)
    return <td className="border-line border-t border-l bg-panel" style={{ width: 2 * cell }} aria-label="itself" />;
  return (
    <td className="border-line border-t border-l p-0" style={{ width: 2 * cell, height: 28 }}>
      <span className="flex h-7 items-center">
        <button
          type="button"
          aria-label={`${bus.name} in ${mix.name}`}
          aria-pressed={own !== undefined}
          className="relative h-7 w-9 shrink-0 hover:bg-line"
          onClick={() =>
            own
              ? set(
                  all.filter((m) => m !== own),
                  `take ${bus.name} out of ${mix.name}`,
                )
              : set([...all, { bus: bus.id, gain_db: 0 }], `weave ${bus.name} into ${mix.name}`)
          }
        >
          {own && (
            <span
              aria-hidden="true"
              className={`absolute inset-1 ${weaveOf(bus)}`}
              style={{ color: `color-mix(in srgb, ${colourOf(bus)} 60%, transparent)` }}
            />
          )}
        </button>
        {own && (
          <GainInput
            says={`Gain of ${bus.name} in ${mix.name} in dB`}
            value={own.gain_db}
            className="h-6 min-w-0 flex-1 text-small"
            save={(gain_db) =>
              set(
                all.map((m) => (m === own ? { ...m, gain_db } : m)),
                `set ${bus.name} to ${gain(gain_db)} in ${mix.name}`,
              )
            }
          />
        )}
      </span>
    </td>
  );
}
