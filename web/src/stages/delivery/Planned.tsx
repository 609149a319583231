import { Link } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { useEditor } from "../../editor/store";
import { count, duration, plural } from "../../format";
import { Button } from "../../ui/controls";
import { chooseTrack } from "../weave/choice";
import { fileWords } from "./words";

const stageWords = { reel: "Reel", weave: "Weave", measure: "Measure", delivery: "Delivery" };

/** What would be written, and what stands in the way of it. */
export function Planned({
  plan,
  production,
  weave,
}: {
  plan: Schemas["Preflight"];
  production: string;
  /** Sets the weave up as the spec's template has it; undefined where that is not called for. */
  weave: (() => void) | undefined;
}) {
  const snags = plan.findings.filter((f) => !f.on_purpose);
  const off = plan.findings.filter((f) => f.on_purpose);
  return (
    <>
      <section aria-label="Snags before the order">
        <h2 className="mb-1 text-quiet">
          {snags.length > 0 && plural(snags.length, "snag")}
          {snags.length === 0 && plan.unmeasured === 0 && "Nothing stands in the way."}
          {plan.unmeasured > 0 && ` Measuring its loudness: ${Math.round(100 * (1 - plan.unmeasured))} % known.`}
        </h2>
        {weave && (
          <Button onClick={weave} className="mb-1">
            Weave the reel as the specification asks…
          </Button>
        )}
        <ul>
          {snags.map((f) => (
            <li
              key={f.code + f.message}
              className={`border-l-4 py-0.5 pl-2 ${f.stops ? "border-bad" : "border-caution"}`}
            >
              {f.stops && <strong className="text-bad">Stops the delivery: </strong>}
              {f.message}.{" "}
              {f.stage !== "delivery" && (
                <Link
                  to={`/$production/${f.stage}`}
                  params={{ production }}
                  className="text-focus underline"
                  onClick={() => {
                    if (!f.track) return;
                    useEditor.setState({ tracks: [f.track] });
                    chooseTrack();
                  }}
                >
                  Mend it in {stageWords[f.stage]}
                </Link>
              )}
            </li>
          ))}
        </ul>
      </section>
      {off.length > 0 && (
        <section aria-label="Left off on purpose">
          <h2 className="mb-1 text-quiet">Left off on purpose</h2>
          <p>
            {off.map((f) => f.message.replace(/^track (.*) is off and will not be heard$/, "$1")).join(", ")}: not
            heard, because somebody has said so.{" "}
            <Link to="/$production/reel" params={{ production }} className="text-focus underline">
              See them in Reel
            </Link>
          </p>
        </section>
      )}
      <section aria-label="What will be written">
        <h2 className="mb-1 text-quiet">What will be written</h2>
        <p className="figures mb-2">
          {plural(plan.files.length, "file")} from {plan.start_timecode}, {duration(plan.frames, plan.sample_rate)} (
          {count(plan.frames)} frames at {plan.sample_rate / 1000} kHz)
          {plan.lead > 0 && `; programme from ${plan.programme_timecode}`}
          {plan.tones.length > 0 && `, ${plan.tones.map((t) => `${t.says} at ${t.level_dbfs} dBFS`).join(", ")}`}
        </p>
        {plan.cut_says && <p className="mb-2">The picture {plan.cut_says}.</p>}
        <table className="w-full table-fixed" aria-label="Files and channels">
          <tbody>
            {plan.files.slice(0, 100).map((f) => (
              <tr key={f.name} className="border-line border-t align-top">
                <td className="break-words py-1 pr-2">
                  {f.name}
                  <span className="block text-quiet text-small">{fileWords(f)}</span>
                </td>
                <td className="figures w-32 py-1 text-quiet text-small">
                  {f.channels.map((c, i) => (
                    <div key={`${i} ${c}`} className="truncate" title={c}>
                      {i + 1} {c}
                    </div>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {plan.files.length > 100 && <p className="text-quiet">and {plan.files.length - 100} more files</p>}
      </section>
    </>
  );
}
