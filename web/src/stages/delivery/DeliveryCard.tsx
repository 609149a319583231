import { useQueryClient } from "@tanstack/react-query";
import { Check, Download, RotateCcw, X } from "lucide-react";
import { useState } from "react";
import { api, type Delivery, must } from "../../api/client";
import { useProgress } from "../../api/events";
import { failed, keys } from "../../api/queries";
import { bytes, count, dbfs, duration } from "../../format";
import { Button, Progress } from "../../ui/controls";

const states: Record<Delivery["state"], { says: string; tone: string }> = {
  waiting: { says: "waiting", tone: "text-quiet" },
  rendering: { says: "rendering", tone: "text-ink" },
  proving: { says: "reading back", tone: "text-ink" },
  proven: { says: "proven", tone: "text-good" },
  failed: { says: "failed", tone: "text-bad" },
  cancelled: { says: "cancelled", tone: "text-quiet" },
};

/** One delivery: how far it is, its files, its proof. */
export function DeliveryCard({ delivery: d, production }: { delivery: Delivery; production: string }) {
  const client = useQueryClient();
  const progress = useProgress((s) => s[d.id]);
  const refresh = () => client.invalidateQueries({ queryKey: keys.deliveries(production) });
  const path = { delivery: d.id };
  const cancel = () => must(api.POST("/api/deliveries/{delivery}/cancel", { params: { path } })).then(refresh, failed);
  const retry = () => must(api.POST("/api/deliveries/{delivery}/retry", { params: { path } })).then(refresh, failed);
  const busy = d.state === "waiting" || d.state === "rendering" || d.state === "proving";
  const s = states[d.state];
  const when = new Date(d.ordered_at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  return (
    <article aria-label={`Delivery ordered ${when}`} className="border border-line bg-panel p-3">
      <header className="flex items-center gap-3">
        <h2 className="font-semibold">{d.spec_name}</h2>
        <span className={`ticket bg-raised px-2 ${s.tone}`} data-state={d.state}>
          {s.says}
        </span>
        <span className="ml-auto text-quiet text-small">{when}</span>
        {busy && (
          <Button onClick={cancel}>
            <X size={14} aria-hidden="true" /> Cancel
          </Button>
        )}
        {(d.state === "failed" || d.state === "cancelled") && (
          <Button onClick={retry}>
            <RotateCcw size={14} aria-hidden="true" /> Make it again
          </Button>
        )}
      </header>
      <p className="figures mt-1 text-quiet text-small">
        from {d.start_timecode}, {duration(d.frames, 48000)} ({count(d.frames)} frames),{" "}
        {d.packing === "poly" ? "one file" : `${d.files.length} mono files`}
      </p>
      {d.error.message && <p className="mt-1 text-bad">{d.error.message}.</p>}
      {d.clipped > 0 && <p className="mt-1 text-caution">{count(d.clipped)} samples were held at full scale.</p>}
      {busy && (
        <div className="mt-2">
          <Progress
            label={`Progress: ${s.says}`}
            done={progress?.done ?? 0}
            total={d.total}
            say={d.state === "waiting" ? "waiting" : `${count(progress?.done ?? 0)} of ${count(d.total)} frames`}
          />
        </div>
      )}
      {d.state === "proven" && (
        <ul aria-label="Files" className="mt-2">
          {d.files.map((f, i) => (
            <li key={f.name} className="flex h-8 items-center gap-2">
              <a
                href={`/api/deliveries/${d.id}/files/${i}`}
                download={f.name}
                className="flex min-w-0 items-center gap-2 text-focus hover:underline"
              >
                <Download size={14} aria-hidden="true" className="shrink-0" />
                <span className="truncate">{f.name}</span>
              </a>
              <span className="figures ml-auto shrink-0 text-quiet text-small">
                {bytes(d.proof?.files[i]?.bytes ?? 0)}
              </span>
            </li>
          ))}
        </ul>
      )}
      {d.proof && <Proof proof={d.proof} />}
    </article>
  );
}

/** The proof: each fact as ordered and as found, and each channel compared sample by sample. */
function Proof({ proof }: { proof: NonNullable<Delivery["proof"]> }) {
  const [open, setOpen] = useState(!proof.passed);
  const checks = proof.files.reduce((n, f) => n + f.checks.length, 0);
  const channels = proof.files.flatMap((f) => f.channels);
  return (
    <div className="mt-2">
      <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="text-quiet underline">
        {proof.passed ? "Proof: " : "Failed proof: "}
        {checks} facts and {channels.length} channels read back and compared
      </button>
      {open &&
        proof.files.map((f) => (
          <section key={f.name} aria-label={`Proof of ${f.name}`} className="mt-2">
            <p className="figures mb-1 break-all text-quiet text-small">
              {f.name}, {count(f.bytes)} bytes, xxh64 {f.hash}
            </p>
            <div className="flex flex-wrap items-start gap-6">
              <table className="text-small">
                <thead className="text-quiet">
                  <tr>
                    <th className="pr-3 text-left font-normal">Channel</th>
                    <th className="pr-3 text-right font-normal">Peak dBFS</th>
                    <th className="pr-3 text-right font-normal">RMS dB</th>
                    <th className="text-left font-normal">Samples</th>
                  </tr>
                </thead>
                <tbody>
                  {f.channels.map((c) => (
                    <tr key={c.channel}>
                      <td className="pr-3">
                        {c.channel} {c.name}
                      </td>
                      <td className="figures pr-3 text-right">{dbfs(c.peak_dbfs)}</td>
                      <td className="figures pr-3 text-right">{dbfs(c.rms_dbfs)}</td>
                      <td>
                        <Verdict
                          ok={c.ok}
                          says={c.ok ? "all as ordered" : `${count(c.differs)} differ, first at ${count(c.first_at)}`}
                        />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <table className="text-small">
                <thead className="text-quiet">
                  <tr>
                    <th className="pr-3 text-left font-normal">Fact</th>
                    <th className="text-left font-normal">Found</th>
                  </tr>
                </thead>
                <tbody>
                  {f.checks.map((c) => (
                    <tr key={c.what}>
                      <td className="pr-3 text-quiet">{c.what}</td>
                      <td className="figures">
                        <Verdict ok={c.ok} says={c.ok ? c.found : `${c.found} instead of ${c.ordered}`} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </section>
        ))}
    </div>
  );
}

function Verdict({ ok, says }: { ok: boolean; says: string }) {
  return (
    <span className={`flex items-center gap-1 ${ok ? "" : "text-bad"}`}>
      {ok ? (
        <Check size={12} className="shrink-0 text-good" aria-label="as ordered" />
      ) : (
        <X size={12} className="shrink-0" aria-label="not as ordered" />
      )}
      {says}
    </span>
  );
}
