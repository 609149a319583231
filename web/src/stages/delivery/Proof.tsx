import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useOrigins } from "../../api/delivery";
import { count, dbfs, gain, plural } from "../../format";
import { FileLoudness } from "./FileLoudness";
import { Mark, Verdict } from "./Verdict";

const channelsOf = (p: Schemas["Proof"]) => p.files.reduce((n, f) => n + f.channels.length, 0);

/** The proof: loudness of the files, sums between them, each fact as ordered and as found, each channel compared. */
export function Proof({ id, proof, facts }: { id: string; proof: Schemas["Proof"]; facts: number }) {
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState<{ file: number; channel: number } | null>(null);
  const channels = channelsOf(proof);
  return (
    <div className="flex flex-col gap-2">
      {proof.measures && proof.measures.length > 0 && <FileLoudness measures={proof.measures} />}
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
            <td className="text-quiet">{[o.ways, o.treated].filter(Boolean).join("; ")}</td>
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
