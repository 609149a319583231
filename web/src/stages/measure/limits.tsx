import { create } from "zustand";
import type { Asked, Limits, LimitsName } from "../../api/measure";
import { Choice } from "../../ui/controls";
import { NumberField } from "../weave/parts";

/** Names of limits that many ask for. */
const known: [LimitsName, string][] = [
  ["r128", "EBU R 128"],
  ["r128-short", "EBU R 128, short form"],
  ["a85", "ATSC A/85"],
];

type Own = Omit<Limits, "name">;

const kept = "zestyloom limits";

const remembered = (): Own => {
  try {
    return JSON.parse(localStorage.getItem(kept) ?? "") as Own;
  } catch {
    return { integrated_lufs: -23, tolerance_lu: 0.5, max_true_peak_dbtp: -1 };
  }
};

/** Limits of one's own, which this browser remembers. */
export const useOwnLimits = create<{ own: Own }>(() => ({ own: remembered() }));

function setOwn(own: Own) {
  useOwnLimits.setState({ own });
  localStorage.setItem(kept, JSON.stringify(own));
}

/** What is asked for under a name. */
export const askedFor = (limits: LimitsName, own: Own): Asked =>
  limits === "own" ? { limits, own: JSON.stringify({ name: "limits of your own", ...own }) } : { limits };

type Props = { value: LimitsName; spec: string | undefined; onChange: (l: LimitsName) => void };

/** Which limits the reel is held against. */
export function LimitsChoice({ value, spec, onChange }: Props) {
  return (
    <Choice aria-label="Limits" value={value} onChange={(e) => onChange(e.target.value as LimitsName)}>
      {spec !== undefined && <option value="spec">of the spec: {spec}</option>}
      {known.map(([key, name]) => (
        <option key={key} value={key}>
          {name}
        </option>
      ))}
      <option value="own">your own…</option>
    </Choice>
  );
}

type Field = [key: keyof Own, says: string, unit: string, from: number, to: number, rest: number];

const fields: Field[] = [
  ["integrated_lufs", "integrated", "LUFS", -70, 0, -23],
  ["tolerance_lu", "± tolerance", "LU", 0, 20, 0.5],
  ["max_true_peak_dbtp", "true peak at most", "dBTP", -70, 6, -1],
  ["max_short_term_lufs", "short-term at most", "LUFS", -70, 0, -18],
  ["short_term_window_s", "short-term over", "s", 0.4, 60, 3],
  ["max_momentary_lufs", "momentary at most", "LUFS", -70, 0, -15],
  ["max_range_lu", "range at most", "LU", 0, 70, 20],
  ["max_ppm_dbfs", "PPM at most", "dBFS", -70, 0, -9],
];

/** Limits of one's own: each is asked for or not. */
export function OwnLimits() {
  const own = useOwnLimits((s) => s.own);
  return (
    <section aria-label="Limits of your own" className="flex flex-wrap gap-x-4 gap-y-1 border-line border-b px-3 py-2">
      {fields.map(([key, says, unit, from, to, rest]) => {
        const given = own[key] as number | undefined;
        return (
          <span key={key} className="flex items-center gap-1.5">
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={given !== undefined}
                onChange={(e) => setOwn({ ...own, [key]: e.target.checked ? rest : undefined })}
              />
              {says}
            </label>
            {given !== undefined && (
              <NumberField
                says={says}
                value={given}
                unit={unit}
                from={from}
                to={to}
                rest={rest}
                save={(v) => setOwn({ ...own, [key]: v })}
              />
            )}
          </span>
        );
      })}
    </section>
  );
}
