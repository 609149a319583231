import type { Reel } from "../../../api/client";
import type { ReelEdit } from "../../../api/reel";
import { routeTo, stemsOf, toggle, unroute } from "../../../editor/routes";
import { chosenTracks } from "../../../editor/targets";
import { plural } from "../../../format";
import type { Row } from "../../../timeline/geometry";
import type { Command } from "../../../ui/commands";
import { type StemKind, stemKeys } from "../../../ui/stems";

import type { ReelContext } from "./context";

/** Where tracks are sent, and whether they count. */
export function routing({ reel, rows, mutate, act }: ReelContext): Command[] {
  const each = (edit: (t: Row["track"]) => (reel: Reel) => ReelEdit | null) => () => {
    for (const t of chosenTracks(rows)) mutate(edit(t));
  };
  const send = (kind: StemKind) => () => {
    const stem = stemsOf(reel).find((s) => s.kind === kind);
    if (stem) each((t) => routeTo(t, stem))();
  };
  return [
    ...Object.entries(stemKeys).map(([key, kind]) => ({
      id: kind,
      name: `Send this track to ${kind}`,
      key,
      run: send(kind),
    })),
    { id: "unroute", name: "Unsend: send this track to no stem", key: "u", run: each(unroute) },
    { id: "track off", name: "Turn this track off or on", run: each(toggle) },
    {
      id: "placed",
      name: "Say that the clips of this track without a start lie where they belong",
      run: () => {
        const lost = chosenTracks(rows).flatMap((t) => t.clips.filter((c) => c.unplaced).map((c) => ({ t, c })));
        if (lost.length > 0)
          act(
            "say where clips belong",
            ...lost.map(({ t, c }) => ({ set_placed: { track: t.id, id: c.id, placed: true } })),
          );
      },
    },
    {
      id: "remove track",
      name: "Remove the chosen tracks with all that lies on them",
      run: () =>
        act(
          `remove ${plural(chosenTracks(rows).length, "track")}`,
          ...chosenTracks(rows).map((t) => ({ remove_track: { id: t.id } })),
        ),
    },
  ];
}
