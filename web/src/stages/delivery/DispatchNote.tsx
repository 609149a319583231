import { Link, useNavigate } from "@tanstack/react-router";
import { Check, Download, X } from "lucide-react";
import { useState } from "react";
import type { Delivery, Schemas } from "../../api/client";
import { useDeliverAgain, useDelivery, useOrigins, useTakeBack } from "../../api/delivery";
import { bytes, count, dbfs, gain, plural } from "../../format";
import { Button } from "../../ui/controls";
import { LoudnessGraph } from "./LoudnessGraph";
import { codingWords, paperWords, widths } from "./words";

/** A delivery that is opened: its files, its papers, what was measured and proven, what is other than before. */
export function DispatchNote({ delivery: d, production }: { delivery: Delivery; production: string }) {
  const { data: whole } = useDelivery(production, d.id, d.state, true);
  const back = useTakeBack(production);
  const again = useDeliverAgain(production);
  const navigate = useNavigate();
  const proven = d.state === "proven";
  return (
    <div className="flex flex-col gap-3 pb-3 pl-6">
      {d.recipient && <p>To {d.recipient}</p>}
      <p className="figures text-quiet text-small">
        from {d.start_timecode}, {count(d.frames)} frames at {d.sample_rate / 1000} kHz, {d.packing_says}; specification
        version {d.spec_version}
      </p>
      {d.clipped > 0 && <p className="text-caution">{count(d.clipped)} samples were held at full scale.</p>}
      {proven && (
        <div className="flex flex-wrap items-center gap-2">
          <a
            href={`/api/deliveries/${d.id}/all.zip`}
            download
            className="inline-flex h-7 items-center gap-1.5 bg-raised px-2.5 hover:bg-line"
          >
            <Download size={14} aria-hidden="true" /> Everything (ZIP)
          </a>
          {d.papers.map((p) => (
            <a
              key={p}
              href={`/api/deliveries/${d.id}/papers/${p}`}
              download
              className="inline-flex h-7 items-center bg-raised px-2.5 hover:bg-line"
            >
              {paperWords[p]}
            </a>
          ))}
          <span className="flex-1" />
          <Button
            title="From the reel, the routing and the recordings as they were when it was ordered"
            onClick={() => again.mutate(d.id)}
          >
            Make it again as ordered
          </Button>
          <Button
            disabled={back.isPending}
            onClick={() =>
              back.mutate(d.id, { onSuccess: () => navigate({ to: "/$production/reel", params: { production } }) })
            }
          >
            {back.isPending ? "Taking it back in…" : "Take it back in as a reel"}
          </Button>
        </div>
      )}
      {whole?.differs && whole.differs.length > 0 && (
        <section aria-label="What is other than in the version before">
          <h3 className="text-quiet">What is other than in the version before</h3>
          <ul>
            {whole.differs.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </section>
      )}
      {d.failures.length > 0 && (
        <section aria-label="What is not as it was ordered">
          <h3 className="text-bad">What is not as it was ordered</h3>
          <ul>
            {d.failures.slice(0, 30).map((s) => (
              <li key={s} className="border-bad border-l-4 pl-2">
                {s}
              </li>
            ))}
          </ul>
          {whole?.proof?.measures?.some((m) => !m.ok) && (
            <p>
              Nothing was given out.{" "}
              <Link to="/$production/measure" params={{ production }} className="text-focus underline">
                See where in Measure, and correct it
              </Link>
              , then order it anew.
            </p>
          )}
          {d.failures.length > 30 && <p className="text-quiet">and {d.failures.length - 30} more: see the papers</p>}
        </section>
      )}
      <ul aria-label="Files">
        {d.files.map((f, i) => (
          <li key={f.name} className="flex min-h-7 items-center gap-2">
            {proven ? (
              <a
                href={`/api/deliveries/${d.id}/files/${i}`}
                download={f.name.split("/").pop()}
                className="flex min-w-0 items-center gap-2 text-focus hover:underline"
              >
                <Download size={14} aria-hidden="true" className="shrink-0" />
                <span className="truncate" title={f.name}>
                  {f.name}
                </span>
              </a>
            ) : (
              <span className="min-w-0 truncate" title={f.name}>
                {f.name}
              </span>
            )}
            <span className="figures ml-auto shrink-0 text-quiet text-small">
              {f.container.toUpperCase()} {codingWords(f.coding)}, {widths(f.groups) || f.channels.length}
              {f.bytes ? `, ${bytes(f.bytes)}` : ""}
            </span>
          </li>
        ))}
      </ul>
      {whole?.proof && <Proof id={d.id} proof={whole.proof} facts={d.facts} />}
      {whole?.sources && whole.sources.length > 0 && <Sources used={whole.sources} />}
    </div>
  );
}

const channelsOf = (p: Schemas["Proof"]) => p.files.reduce((n, f) => n + f.channels.length, 0);

/** The proof: loudness of the files, sums between them, each fact as ordered and as found, each channel compared. */
function Proof({ id, proof, facts }: { id: string; proof: Schemas["Proof"]; facts: number }) {
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState<{ file: number; channel: number } | null>(null);
  const channels = channelsOf(proof);
  return (
    <div className="flex flex-col gap-2">
      {proof.measures && proof.measures.length > 0 && <Measures measures={proof.measures} />}
      {proof.sums?.map((s) => (
        <p key={s.mix} className="flex items-center gap-1">
          <Mark ok={s.ok} /> {s.says}
        </p>
      ))}
      {proof.notes?.map((n) => (
        <p key={n} className="text-caution">
          {n}
        </p>
      ))}
      <button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        className="self-start text-quiet underline"
      >
        {proof.passed ? "Proof: " : "Failed proof: "}
        {facts - channels} facts and {plural(channels, "channel")} read back and compared
      </button>
      {open &&
        proof.files.map((f, file) => (
          <section key={f.name} aria-label={`Proof of ${f.name}`}>
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
                        <button
                          type="button"
                          aria-expanded={asked?.file === file && asked.channel === c.channel}
                          title="What it is made of"
                          className="min-h-6 min-w-6 text-left underline decoration-dotted"
                          onClick={() =>
                            setAsked(
                              asked?.file === file && asked.channel === c.channel ? null : { file, channel: c.channel },
                            )
                          }
                        >
                          {c.channel} {c.name}
                        </button>
                      </td>
                      <td className="figures pr-3 text-right">{dbfs(c.peak_dbfs)}</td>
                      <td className="figures pr-3 text-right">{dbfs(c.rms_dbfs)}</td>
                      <td>
                        <Verdict ok={c.ok} says={samples(c)} />
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
            {asked?.file === file && (
              <Origins
                delivery={id}
                file={file}
                channel={asked.channel}
                name={f.channels[asked.channel - 1]?.name ?? ""}
              />
            )}
          </section>
        ))}
    </div>
  );
}

/** Which recordings a channel holds, when, and through which clips, tracks and gains. */
function Origins(of: { delivery: string; file: number; channel: number; name: string }) {
  const { data } = useOrigins(of.delivery, of.file, of.channel);
  if (!data) return null;
  if (data.length === 0) return <p className="mt-1 text-quiet">Nothing is in {of.name}: it is silent.</p>;
  return (
    <table aria-label={`What ${of.name} is made of`} className="mt-2 text-small">
      <thead className="text-quiet">
        <tr>
          {["From", "To", "Recording", "Channel", "Clip", "Track", "Gain", "Sent"].map((h) => (
            <th key={h} className="pr-3 text-left font-normal">
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {data.slice(0, 500).map((o) => (
          <tr key={`${o.from} ${o.file} ${o.channel} ${o.track}`}>
            <td className="figures pr-3">{o.from_timecode}</td>
            <td className="figures pr-3">{o.to_timecode}</td>
            <td className="pr-3">{o.file}</td>
            <td className="figures pr-3">{o.channel}</td>
            <td className="pr-3">{o.clip}</td>
            <td className="pr-3">{o.track}</td>
            <td className="figures whitespace-nowrap pr-3">
              {o.gain_db === null ? "silent" : gain(o.gain_db)}
              {o.moves && ", moving"}
            </td>
            <td className="text-quiet">{o.ways}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function samples(c: Schemas["ChannelProof"]): string {
  if (c.alike !== undefined) return `compressed, ${(100 * c.alike).toFixed(2)} % alike`;
  return c.ok ? "all as ordered" : `${count(c.differs)} differ, first at ${count(c.first_at)}`;
}

/** What was measured of the programme as the files hold it, set like a printed table. */
function Measures({ measures }: { measures: Schemas["FileMeasure"][] }) {
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
              <td className="pr-4 text-quiet">{m.layout}</td>
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

/** The recordings that a delivery was made of. */
function Sources({ used }: { used: Schemas["Used"][] }) {
  const [open, setOpen] = useState(false);
  return (
    <div>
      <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="text-quiet underline">
        Made of {plural(used.length, "recording")}
      </button>
      {open && (
        <table aria-label="What it was made of" className="mt-1 text-small">
          <tbody>
            {used.map((u) => (
              <tr key={u.file + u.hash}>
                <td className="pr-4">{u.file}</td>
                <td className="figures pr-4 text-quiet">channel {u.channels.join(", ")}</td>
                <td className="figures pr-4 text-quiet">{plural(u.clips, "clip")}</td>
                <td className="pr-4">{u.tracks.join(", ")}</td>
                <td className="figures text-quiet">xxh64 {u.hash}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function Mark({ ok }: { ok: boolean }) {
  return ok ? (
    <Check size={12} className="shrink-0 text-good" aria-label="as ordered" />
  ) : (
    <X size={12} className="shrink-0 text-bad" aria-label="not as ordered" />
  );
}

function Verdict({ ok, says }: { ok: boolean; says: string }) {
  return (
    <span className={`flex items-center gap-1 ${ok ? "" : "text-bad"}`}>
      <Mark ok={ok} />
      {says}
    </span>
  );
}
