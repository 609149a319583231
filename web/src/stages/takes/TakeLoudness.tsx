import { useState } from "react";
import type { Take } from "../../api/client";
import { useTakeMeasurement } from "../../api/measure";
import { Button } from "../../ui/controls";
import { level, loudnessFigures, loudnessHeads } from "../measure/figures";

const heads = [...loudnessHeads, ["DC", "%", "offset, of full scale"]] as const;

/** Loudness and peaks of a take by itself: of what is one sound in it, and of every other strand. */
export function TakeLoudness({ take }: { take: Take }) {
  const [wanted, setWanted] = useState(false);
  const version = JSON.stringify([take.readings, take.strands.map((s) => [s.off, s.invert, s.trim_db, s.high_pass])]);
  const { data: m, error } = useTakeMeasurement(take.id, version, wanted);
  if (!wanted)
    return (
      <span className="pt-2">
        <Button onClick={() => setWanted(true)}>Measure its loudness</Button>
      </span>
    );
  if (error) return <p className="pt-2 text-bad">{error.message}</p>;
  if (!m || m.done < m.total)
    return (
      <p role="status" className="pt-2 text-quiet">
        Measuring{m && `: ${m.done} of ${m.total} stretches of ten seconds`}…
      </p>
    );
  return (
    <table aria-label={`Loudness of ${take.name}`} className="mt-2 self-start">
      <thead>
        <tr className="text-quiet">
          <th scope="col" className="px-2 py-0.5 text-left font-normal">
            Loudness and peaks
          </th>
          {heads.map(([h, unit, says]) => (
            <th key={h} scope="col" title={says} className="px-2 py-0.5 text-right font-normal">
              {h} <span className="text-small">{unit}</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {m.buses.map((b) => (
          <tr key={b.bus} title={b.how}>
            <th scope="row" className="max-w-64 truncate px-2 py-0.5 text-left font-normal" title={b.name}>
              {b.name}
              {b.how && <span className="text-quiet text-small"> decoded</span>}
            </th>
            {[...loudnessFigures(b), level(Math.max(0, ...b.channels.map((c) => Math.abs(c.dc))) * 100, 2)].map(
              (v, i) => (
                <td key={heads[i]?.[0]} className="figures px-2 py-0.5 text-right">
                  {v}
                </td>
              ),
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
