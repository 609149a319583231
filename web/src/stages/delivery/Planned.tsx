import { Link } from "@tanstack/react-router";
import { Fragment, useState } from "react";
import type { Schemas } from "../../api/client";
import { useEditor } from "../../editor/store";
import { count, duration, plural } from "../../format";
import { Button } from "../../ui/controls";
import { chooseTrack } from "../weave/choice";
import { fileWords } from "./words";

const stageWords = { intake: "Intake", reel: "Reel", weave: "Weave", measure: "Measure", delivery: "Delivery" };

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
  const snags = plan.findings.filter((f) => !f.on_purpose).sort((a, b) => rank(a) - rank(b));
  const off = plan.findings.filter((f) => f.on_purpose && f.code === "track_off");
  const known = plan.findings.filter((f) => f.on_purpose && f.code !== "track_off");
  // What has one cause is one line, however many tracks it is about.
  const causes = [...new Set(snags.map((f) => (f.track ? f.code : f.code + f.message)))].map((key) =>
    snags.filter((f) => (f.track ? f.code : f.code + f.message) === key),
  );
  return (
    <>
      <section aria-label="Snags before the order">
        <h2 className="mb-1 text-quiet">
          {snags.length > 0 && plural(snags.length, "snag")}
          {snags.length === 0 && plan.unmeasured === 0 && "Nothing stands in the way."}
          {plan.unmeasured > 0 &&
            ` Looking for clipping, measuring its loudness: ${Math.round(100 * (1 - plan.unmeasured))} % known.`}
        </h2>
        {weave && (
          <Button onClick={weave} className="mb-1">
            Weave the reel as the specification asks…
          </Button>
        )}
        <ul>
          {causes.map((all) => (
            <Cause key={(all[0]?.code ?? "") + (all[0]?.message ?? "")} all={all} production={production} />
          ))}
        </ul>
      </section>
      {known.length > 0 && (
        <section aria-label="Worth knowing">
          <h2 className="mb-1 text-quiet">Worth knowing</h2>
          <ul>
            {known.map((f) => (
              <li key={f.message}>{f.message.charAt(0).toUpperCase() + f.message.slice(1)}.</li>
            ))}
          </ul>
        </section>
      )}
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

type Finding = Schemas["Finding"];

/** What forbids the order first, then what asks, then the rest. */
const rank = (f: Finding) => (f.stops ? 0 : f.asks ? 1 : 2);

/** How many of one cause are shown at once. */
const shown = 2;

/** What stands in the way for one cause, with where it is mended. */
function Cause({ all, production }: { all: Finding[]; production: string }) {
  const [open, setOpen] = useState(false);
  const [first] = all;
  if (!first) return null;
  const border = first.stops ? "border-bad" : "border-caution";
  return (
    <li className={`border-l-4 py-0.5 pl-2 ${border}`}>
      {first.stops && <strong className="text-bad">Stops the delivery: </strong>}
      {first.asks && <strong className="text-caution">In the way: </strong>}
      {(open ? all : all.slice(0, shown)).map((f) => (
        <Fragment key={f.message + f.track}>
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
          )}{" "}
        </Fragment>
      ))}
      {all.length > shown && !open && (
        <button type="button" className="text-focus underline" onClick={() => setOpen(true)}>
          and {all.length - shown} more like it
        </button>
      )}
    </li>
  );
}
