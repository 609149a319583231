import type { MeasuredBus } from "../../api/measure";
import { level } from "./figures";

/** Asked, found, margin, verdict, of one bus. */
export function Verdicts({ bus }: { bus: MeasuredBus }) {
  if (bus.verdicts.length === 0) return <p className="px-3 py-2 text-quiet">Nothing is asked of {bus.name}.</p>;
  const heads = [bus.name, "asked", "found", "margin"];
  return (
    <table aria-label={`${bus.name} against the limits`} className="w-full border-separate border-spacing-0">
      <thead>
        <tr className="text-quiet">
          {heads.map((h, i) => (
            <th key={h} scope="col" className={`px-2 py-1 font-normal ${i > 1 ? "text-right" : "text-left"}`}>
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {bus.verdicts.map((v) => (
          <tr key={v.what} className="align-top">
            <th scope="row" className="border-line border-t px-2 py-1 text-left font-normal">
              {v.what}
              <span className={`block ${v.pass ? "text-good" : "text-bad"}`}>{v.words}</span>
            </th>
            <td className="whitespace-nowrap border-line border-t px-2 py-1">{v.asked.replace("-", "−")}</td>
            <td className="figures whitespace-nowrap border-line border-t px-2 py-1 text-right">{level(v.found, 2)}</td>
            <td className="figures border-line border-t px-2 py-1 text-right">
              {v.margin == null ? "–" : `${v.margin >= 0 ? "+" : "−"}${Math.abs(v.margin).toFixed(2)}`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
