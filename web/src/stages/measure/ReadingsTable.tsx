import type { MeasuredBus } from "../../api/measure";
import { keyOf, level, loudnessFigures, loudnessHeads } from "./figures";

type Props = {
  buses: MeasuredBus[];
  chosen: string;
  onChoose: (bus: string) => void;
};

const heads = [
  ["Bus", "", ""],
  ["Verdict", "", ""],
  ...loudnessHeads,
  ["Speech", "LU above", "how far the mix lies above the speech in it, where that sounds"],
  ["Corr.", "−1 to 1", "correlation of both sides"],
  ["Mono", "LU less", "what folding down to mono loses"],
] as const;

function verdict(b: MeasuredBus): string {
  const failed = b.verdicts.filter((v) => !v.pass);
  if (b.says) return "no loudness";
  if (b.integrated_lufs == null) return "silent";
  if (!b.limits) return "not asked";
  if (failed.length === 0) return "kept";
  return failed.length === 1 ? (failed[0]?.words ?? "") : `${failed.length} limits not kept`;
}

/** What was found of every bus and group of outputs, and the verdict on it. */
export function ReadingsTable({ buses, chosen, onChoose }: Props) {
  const names = new Map(buses.filter((b) => b.role !== "outputs").map((b) => [b.bus, b.name]));
  return (
    <table aria-label="Readings" className="w-full border-separate border-spacing-0">
      <thead>
        <tr>
          {heads.map(([h, unit, says], i) => (
            <th
              key={h}
              scope="col"
              title={says || undefined}
              className={`whitespace-nowrap px-1.5 py-1 font-normal ${i < 2 ? "text-left" : "text-right"}`}
            >
              {h}
              <span className="block text-quiet text-small">{unit}&nbsp;</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {buses.map((b) => {
          const failed = b.verdicts.some((v) => !v.pass);
          const speech = b.dialogue
            ? `speech ${level(b.dialogue.speech_lufs)} LUFS in ${Math.round(b.dialogue.share * 100)} % of the time, the mix ${level(b.dialogue.mix_lufs)} LUFS there`
            : undefined;
          return (
            <tr
              key={keyOf(b)}
              aria-selected={keyOf(b) === chosen}
              className={`cursor-pointer ${keyOf(b) === chosen ? "bg-raised" : ""}`}
              onClick={() => onChoose(b.as ?? keyOf(b))}
            >
              <th
                scope="row"
                className="max-w-56 truncate border-line border-t px-2 py-1 text-left font-normal"
                title={b.as ? `they carry ${names.get(b.as) ?? ""} as it is` : b.name}
              >
                {b.name}{" "}
                <span className="text-quiet text-small">
                  {b.as ? names.get(b.as) : b.role}
                  {b.correction && !b.correction.correction.off && ", corrected"}
                </span>
                {b.correction?.stale && <span className="text-caution text-small">, sound has changed</span>}
              </th>
              <td
                title={
                  b.says ||
                  b.verdicts
                    .filter((v) => !v.pass)
                    .map((v) => `${v.what} ${v.words}`)
                    .join(", ")
                }
                className={`whitespace-nowrap border-line border-t px-2 py-1 ${b.says || b.integrated_lufs == null || !b.limits ? "text-quiet" : failed ? "text-bad" : "text-good"}`}
              >
                {b.as ? "" : verdict(b)}
              </td>
              {[...loudnessFigures(b), level(b.dialogue?.over_lu), level(b.correlation, 2), level(b.mono_loss_lu)].map(
                (v, i) => (
                  <td
                    key={heads[i + 2]?.[0]}
                    title={i === 6 ? speech : undefined}
                    className="figures border-line border-t px-1.5 py-1 text-right"
                  >
                    {v}
                  </td>
                ),
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
