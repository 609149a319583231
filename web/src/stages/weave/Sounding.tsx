import { useQuery } from "@tanstack/react-query";
import { api, must, type Reel } from "../../api/client";
import { useMoment } from "../../editor/moment";
import { gain } from "../../format";

const often = 500; // ms between two looks while it plays

/** Which recordings sound on an output where the reel is heard from, and by which clips, tracks and gains they come there. */
export function Sounding({ reel, output }: { reel: Reel; output: number }) {
  const at = useMoment(reel.id, often);
  const { data } = useQuery({
    queryKey: ["sounding", reel.id, reel.version, output, at],
    queryFn: () =>
      must(
        api.GET("/api/reels/{reel}/origins", { params: { path: { reel: reel.id }, query: { channel: output, at } } }),
      ),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  return (
    <section
      aria-label={`What sounds on output ${output + 1}`}
      className="flex flex-col gap-1 border-line border-t pt-2"
    >
      <h3 className="text-quiet">Sounds here now</h3>
      {data?.length === 0 && <p className="text-quiet">Nothing: it is silent.</p>}
      <ul className="flex flex-col gap-1">
        {data?.map((o) => (
          <li key={`${o.from} ${o.track} ${o.channel}`} className="border-line border-t pt-1 first:border-0">
            <span className="flex gap-2">
              <span className="min-w-0 flex-1 truncate" title={`${o.track}: ${o.clip}`}>
                <span className="ticket bg-raised px-1.5">{o.track}</span> {o.clip}
              </span>
              <span className="figures shrink-0">
                {o.gain_db === null ? "silent" : gain(o.gain_db)}
                {o.moves && ", moving"}
              </span>
            </span>
            <span className="figures block break-all text-quiet text-small">
              {o.file}, channel {o.channel}, {o.from_timecode} to {o.to_timecode}
            </span>
            <span className="block text-quiet text-small">{[o.ways, o.treated].filter(Boolean).join("; ")}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
