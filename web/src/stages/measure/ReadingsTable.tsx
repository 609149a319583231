import type { MeasuredBus } from "../../api/measure";

type Props = {
  buses: MeasuredBus[];
  /** Whether the limits are asked of a bus. */
  asked: (b: MeasuredBus) => boolean;
  chosen: string;
  onChoose: (bus: string) => void;
};

const say = (v: number | null | undefined, places = 1) => (v == null ? "–" : v.toFixed(places).replace("-", "−"));

/** What was found of every bus, and the verdict on it. */
export function ReadingsTable({ buses, asked, chosen, onChoose }: Props) {
  const heads = [
    "Bus",
    "Verdict",
    "Integrated",
    "Range",
    "Short-term",
    "Momentary",
    "True peak",
    "PPM",
    "Correlation",
    "In mono",
  ];
  const units = ["", "", "LUFS", "LU", "most, LUFS", "most, LUFS", "dBTP", "mark", "", "LU less"];
  return (
    <table aria-label="Readings" className="w-full border-separate border-spacing-0">
      <thead>
        <tr>
          {heads.map((h, i) => (
            <th
              key={h}
              scope="col"
              className={`whitespace-nowrap px-2 py-1 font-normal ${i < 2 ? "text-left" : "text-right"}`}
            >
              {h}
              <span className="block text-quiet text-small">{units[i]}&nbsp;</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {buses.map((b) => {
          const failed = b.verdicts.filter((v) => !v.pass);
          const words = b.says
            ? "no loudness"
            : failed.length > 0
              ? failed.length === 1
                ? (failed[0]?.words ?? "")
                : `${failed.length} limits not kept`
              : b.integrated_lufs == null
                ? "silent"
                : "kept";
          return (
            <tr
              key={b.bus}
              aria-selected={b.bus === chosen}
              className={`cursor-pointer ${b.bus === chosen ? "bg-raised" : ""}`}
              onClick={() => onChoose(b.bus)}
            >
              <th scope="row" className="border-line border-t whitespace-nowrap px-2 py-1 text-left font-normal">
                {b.name} <span className="text-quiet text-small">{b.role}</span>
              </th>
              <td
                title={b.says || failed.map((v) => `${v.what} ${v.words}`).join(", ")}
                className={`whitespace-nowrap border-line border-t px-2 py-1 ${b.says || b.integrated_lufs == null || !asked(b) ? "text-quiet" : failed.length > 0 ? "text-bad" : "text-good"}`}
              >
                {words}
              </td>
              {[
                say(b.integrated_lufs),
                say(b.range_lu),
                say(b.short_term?.value),
                say(b.momentary?.value),
                say(b.true_peak?.value),
                say(b.ppm_mark),
                say(b.correlation, 2),
                say(b.mono_loss_lu),
              ].map((v, i) => (
                <td key={heads[i + 2]} className="figures border-line border-t px-2 py-1 text-right">
                  {v}
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
