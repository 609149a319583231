import { useQuery } from "@tanstack/react-query";
import { api, must, type Reel } from "../../api/client";
import { gain } from "../../format";

type Props = { reel: Reel; track: string; output: number };

/** By which ways a track comes to an output, with every gain on the way. */
export function WaysFields({ reel, track, output }: Props) {
  const { data, error } = useQuery({
    queryKey: ["ways", reel.id, reel.version, track, output],
    queryFn: () =>
      must(api.GET("/api/reels/{reel}/weave/ways", { params: { path: { reel: reel.id }, query: { track, output } } })),
    retry: false,
  });
  const t = reel.doc.tracks.find((t) => t.id === track);
  const o = reel.doc.weave.outputs[output];
  return (
    <section aria-label={`Ways of ${t?.label} to output ${output + 1}`} className="flex flex-col gap-2">
      <h2>
        <span className="ticket bg-raised px-2 py-0.5">{t?.label}</span> on output {output + 1}, {o?.name}
      </h2>
      {error && <p className="text-bad">{error.message}</p>}
      {data?.length === 0 && <p className="text-quiet">It does not come there.</p>}
      {data?.map((way, i) => (
        <ol key={i} className="flex flex-col border-line border-t pt-1">
          {way.map((s, k) => (
            <li key={k} className="flex gap-2" style={{ paddingLeft: k * 10 }}>
              <span className="min-w-0 flex-1">
                → {s.into}
                <span className="block text-quiet text-small">{s.says}</span>
              </span>
              <span className="figures">{gain(s.gain_db)}</span>
            </li>
          ))}
          <li className="flex gap-2 border-line border-t border-dotted text-quiet">
            <span className="flex-1">all gains on the way</span>
            <span className="figures">{gain(way.reduce((sum, s) => sum + s.gain_db, 0))}</span>
          </li>
        </ol>
      ))}
      {(data?.length ?? 0) > 1 && <p className="text-caution">It comes there by {data?.length} ways, which add up.</p>}
    </section>
  );
}
