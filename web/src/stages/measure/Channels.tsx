import type { MeasuredBus } from "../../api/measure";
import { level } from "./figures";

const heads = [
  ["TP", "dBTP", "true peak"],
  ["sample", "dBFS", "sample peak"],
  ["PPM", "dBFS", "programme meter of type IIa, as the level of the steady tone that reads the same"],
  ["DC", "%", "offset, of full scale"],
] as const;

/** Peaks and offset of each channel. */
export function Channels({ bus }: { bus: MeasuredBus }) {
  return (
    <details className="border-line border-t px-3 py-1.5">
      <summary className="cursor-pointer">Channel by channel</summary>
      <table aria-label={`Channels of ${bus.name}`} className="w-full">
        <thead>
          <tr className="text-quiet">
            <th scope="col" className="text-left font-normal">
              channel
            </th>
            {heads.map(([h, unit, says]) => (
              <th key={h} scope="col" title={says} className="text-right font-normal">
                {h} <span className="text-small">{unit}</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {bus.channels.map((c) => (
            <tr key={c.name}>
              <th scope="row" className="text-left font-normal">
                {c.name}
              </th>
              {[level(c.true_peak_dbtp, 2), level(c.sample_peak_dbfs, 2), level(c.ppm_dbfs), level(c.dc * 100, 3)].map(
                (v, i) => (
                  <td key={heads[i]?.[0]} className="figures text-right">
                    {v}
                  </td>
                ),
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
