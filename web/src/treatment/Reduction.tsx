import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, must, type Reel } from "../api/client";
import { useMoment } from "../editor/moment";
import { clipAt } from "../editor/targets";
import type { Treated } from "./treating";

const width = 396;
const height = 72;
const most = 24; // dB at the floor
const softest = -60; // dBFS at the floor, of the sound
const parts = width / 2;
const often = 50; // ms between two looks while it plays
/** s: how much is shown where there is no clip, or a long one. */
const window = 10;
const longest = 120;

/** What turns down, each drawn by its own thread. */
const kinds = [
  { key: "compressor", name: "compressor", dash: undefined },
  { key: "expander", name: "expander", dash: "6 3" },
  { key: "de_esser", name: "de-esser", dash: "2 3" },
] as const;

/** By how much dynamics turn a track or bus down: over the clip at the pointer or some seconds around it, and at this moment. */
export function Reduction({ reel, it }: { reel: Reel; it: Treated }) {
  const at = useMoment(reel.id, often);
  const { from, to, says } = stretch(reel, it.id, at);
  const { data } = useQuery({
    queryKey: ["reduction", reel.id, reel.version, it.id, from, to],
    queryFn: () =>
      must(
        api.GET("/api/reels/{reel}/reduction", {
          params: { path: { reel: reel.id }, query: { of: it.id, from, to, points: parts } },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const yOf = (db: number) => (Math.min(most, Math.max(0, -db)) / most) * height;
  const here = data && at >= data.from && at < data.to;
  const part = here ? Math.floor(((at - data.from) / (data.to - data.from)) * data.level.length) : -1;
  const now = kinds.flatMap((k) => {
    const db = data?.[k.key]?.[part];
    return db === undefined ? [] : [`${k.name} ${db > -0.05 ? "0.0" : `−${(-db).toFixed(1)}`} dB`];
  });
  const points = (list: number[]) => list.map((db, i) => `${2 * i + 1},${yOf(db).toFixed(1)}`).join(" ");
  return (
    <section aria-label="Turned down" className="border-line border-t px-3 py-1.5">
      <p className="flex justify-between gap-2">
        <span className="text-quiet">Turned down over {says}</span>
        <output className="figures" aria-label="Turned down now">
          {now.join(", ")}
        </output>
      </p>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        role="img"
        aria-label={`Turned down over ${says}`}
        className="w-full bg-ground"
      >
        {data && (
          <polygon
            points={`0,${height} ${data.level.map((db, i) => `${2 * i + 1},${((Math.max(softest, db) / softest) * height).toFixed(1)}`).join(" ")} ${width},${height}`}
            fill="var(--line)"
            opacity={0.6}
          />
        )}
        {[6, 12, 18].map((db) => (
          <g key={db}>
            <line x1={0} x2={width} y1={yOf(-db)} y2={yOf(-db)} stroke="var(--line)" strokeWidth={0.6} />
            <text x={width - 3} y={yOf(-db) - 2} textAnchor="end" fontSize={9} fill="var(--quiet)">
              −{db} dB
            </text>
          </g>
        ))}
        {kinds.map((k) => {
          const list = data?.[k.key];
          return (
            list && (
              <polyline
                key={k.key}
                points={points(list)}
                fill="none"
                stroke="var(--focus)"
                strokeWidth={1.4}
                strokeDasharray={k.dash}
              >
                <title>{k.name}</title>
              </polyline>
            )
          );
        })}
        {here && (
          <line
            x1={((at - data.from) / (data.to - data.from)) * width}
            x2={((at - data.from) / (data.to - data.from)) * width}
            y1={0}
            y2={height}
            stroke="var(--ink)"
          />
        )}
      </svg>
    </section>
  );
}

/** The clip of a track at a place, or some seconds of it around the place. */
function stretch(reel: Reel, of: string, at: number): { from: number; to: number; says: string } {
  const rate = reel.sample_rate;
  const track = reel.doc.tracks.find((t) => t.id === of);
  const clip = track && clipAt(track, at);
  if (clip && clip.length <= longest * rate && clip.length >= parts && clip.at >= 0)
    return { from: clip.at, to: clip.at + clip.length, says: clip.name || "the clip" };
  const from = Math.max(0, Math.floor(at / (window * rate)) * window * rate);
  return { from, to: from + window * rate, says: `${window} seconds` };
}
