import { useQuery } from "@tanstack/react-query";
import { api, must, type Reel, type Track } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { Button } from "../../ui/controls";
import { Line } from "./parts";
import type { Edit } from "./TracksGrid";

type Props = { reel: Reel; track: Track; production: string; edit: Edit };

/** Says that a track is called otherwise than the strands that it plays, and brings them together, either way. */
export function NameFields({ reel, track, production, edit }: Props) {
  const { mutate: label } = useEditSheet(production);
  const { data } = useQuery({
    // Labels come with events of takes; an edit matters only where it is of what the track plays.
    queryKey: ["differing names", reel.id, track.id, track.label, track.clips.length, track.clips[0]?.strands[0]],
    queryFn: () => must(api.GET("/api/reels/{reel}/names", { params: { path: { reel: reel.id } } })),
    placeholderData: (before) => before,
  });
  const name = data?.[track.id];
  if (!name || name === track.label) return null;
  const channels = reel.worked_out.layouts[track.layout] ?? [];
  const strands = new Map<string, string>();
  for (const c of track.clips)
    c.strands.forEach((s, i) => {
      strands.set(s, channels.length > 1 ? `${track.label} ${channels[i] ?? i + 1}` : track.label);
    });
  return (
    <Line name="Its strands">
      <span className="text-caution">are called {name}</span>
      <Button
        onClick={() =>
          edit(() => ({ what: `call ${track.label} ${name}`, actions: [{ set_track: { id: track.id, label: name } }] }))
        }
      >
        Call the track {name}
      </Button>
      <Button
        onClick={() =>
          label({
            what: `label what ${track.label} plays`,
            cells: [...strands].map(([row, value]) => ({ row, field: "label", value })),
          })
        }
      >
        Call them {track.label}
      </Button>
    </Line>
  );
}
