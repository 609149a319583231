import type { Bus, Output, Reel } from "../../api/client";
import { channelsOf } from "../../editor/routes";
import { foldHeads, groupKey } from "./choice";
import type { Column } from "./grid/Grid";

/** A channel of a bus, as a column; a folded bus is one column, of an index of -1. */
export type Channel = { bus: Bus; index: number; channel: string; name: string; first: boolean; wide: boolean };

/** The channels of buses as columns; those of a folded bus as one. */
export const channelsOfBuses = (reel: Reel, folded: ReadonlySet<string>): Channel[] =>
  reel.doc.weave.buses.flatMap((bus): Channel[] => {
    const all = channelsOf(reel, bus);
    const wide = all.length > 1;
    if (wide && folded.has(bus.id)) return [{ bus, index: -1, channel: "", name: bus.name, first: true, wide }];
    return all.map((channel, index) => ({
      bus,
      index,
      channel,
      name: wide ? `${bus.name} ${channel}` : bus.name,
      first: index === 0,
      wide,
    }));
  });

export const columnOf = (c: Channel): Column => ({
  key: `${c.bus.id} ${c.index}`,
  name: c.name,
  bus: c.bus,
  fold: c.first && c.wide ? { folded: c.index < 0, turn: () => foldHeads([c.bus.id]) } : undefined,
});

/** The one that is heard most. */
export const loudest = (factors: readonly number[] | undefined) =>
  (factors ?? []).reduce((most, f) => (Math.abs(f) > Math.abs(most) ? f : most), 0);

/** The factor by which what is sent is heard in a channel of a bus: of its channels the one that is heard most. */
export function heard(reel: Reel, id: string, c: Channel): { value: number; moves: boolean } {
  const sent = reel.worked_out.sent?.[id]?.find((s) => s.to === c.bus.id);
  const rows = c.index < 0 ? (sent?.factors ?? []) : [sent?.factors[c.index]];
  return { value: loudest(rows.map(loudest)), moves: sent?.moves ?? false };
}

/** Outputs as a grid shows them: each by itself, those of a folded group as one. */
export type Place = { at: number[]; output: Output; group: string; layout: string; first: boolean; folded: boolean };

export function placesOf(reel: Reel, folded: ReadonlySet<string>): Place[] {
  const { outputs, groups = [] } = reel.doc.weave;
  const out: Place[] = [];
  for (const [i, output] of outputs.entries()) {
    const group = groups.find((g) => g.id === output.group);
    const first = !!group && outputs[i - 1]?.group !== output.group;
    const is = !!group && folded.has(groupKey(group.id));
    const before = out.at(-1);
    if (is && !first && before) before.at.push(i);
    else out.push({ at: [i], output, group: group?.id ?? "", layout: group?.layout ?? "", first, folded: is });
  }
  return out;
}
