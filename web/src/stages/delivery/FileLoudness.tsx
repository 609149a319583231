import type { Schemas } from "../../api/client";
import { LayoutName } from "../weave/LayoutName";
import { LoudnessGraph } from "./LoudnessGraph";
import { Verdict } from "./Verdict";

/** What was measured of the programme as the files hold it, set like a printed table. */
export function FileLoudness({ measures }: { measures: Schemas["FileMeasure"][] }) {
  const lufs = (v: number | null) => (v === null ? "–" : v.toFixed(1).replace("-", "−"));
  return (
    <>
      <table aria-label="Loudness of the files" className="self-start text-small">
        <thead className="text-quiet">
          <tr>
            {["Programme of", "Layout", "LUFS", "Range LU", "Short-term", "dBTP", "Verdict"].map((h, i) => (
              <th key={h} className={`pr-4 font-normal ${i > 1 && i < 6 ? "text-right" : "text-left"}`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {measures.map((m) => (
            <tr key={`${m.name} ${m.layout}`}>
              <td className="pr-4">{m.name}</td>
              <td className="pr-4 text-quiet">
                <LayoutName name={m.layout} />
              </td>
              {[m.integrated_lufs, m.range_lu, m.max_short_term_lufs, m.true_peak_dbtp].map((v, i) => (
                <td key={["i", "r", "s", "t"][i]} className="figures pr-4 text-right">
                  {lufs(v)}
                </td>
              ))}
              <td>
                {m.limits ? (
                  <Verdict
                    ok={m.ok}
                    says={`${m.limits}: ${
                      m.ok
                        ? "kept"
                        : (m.verdicts ?? [])
                            .filter((v) => !v.pass)
                            .map((v) => `${v.what} ${v.words}`)
                            .join(", ")
                    }`}
                  />
                ) : (
                  <span className="text-quiet">nothing asked</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {measures
        .filter((m) => m.limits && m.line && m.line.length > 1)
        .map((m) => (
          <LoudnessGraph key={m.name} measure={m} />
        ))}
    </>
  );
}
