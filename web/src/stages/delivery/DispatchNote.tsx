import { Link, useNavigate } from "@tanstack/react-router";
import { Download } from "lucide-react";
import type { Delivery } from "../../api/client";
import { useDeliverAgain, useDelivery, useTakeBack } from "../../api/delivery";
import { bytes, count } from "../../format";
import { Button } from "../../ui/controls";
import { Proof } from "./Proof";
import { Sources } from "./Sources";
import { fileWords, paperWords } from "./words";

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
        from {d.start_timecode}
        {d.cut_down && ` to ${d.end_timecode}`}, {count(d.frames)} frames at {d.sample_rate / 1000} kHz,{" "}
        {d.packing_says}; specification version {d.spec_version}
      </p>
      {d.cut_says && <p>The picture {d.cut_says}.</p>}
      {d.clipped > 0 && <p className="text-caution">{count(d.clipped)} samples were held at full scale.</p>}
      {d.damaged && <p className="border-bad border-l-4 pl-2">{d.damaged.message}.</p>}
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
          {d.signed_by && (
            <a
              href={`/api/deliveries/${d.id}/papers/proof`}
              download
              title={`Signed with this installation's key, ${d.signed_by}`}
              className="inline-flex h-7 items-center bg-raised px-2.5 hover:bg-line"
            >
              Signed proof
            </a>
          )}
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
                aria-label={f.name}
                className="flex min-w-0 items-center gap-2 text-focus hover:underline"
              >
                <Download size={14} aria-hidden="true" className="shrink-0" />
                <FileName name={f.name} />
              </a>
            ) : (
              <FileName name={f.name} />
            )}
            <span className="figures ml-auto shrink-0 text-quiet text-small">
              {fileWords(f)}
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

/** A name that is shortened in its middle where there is no room for it: files of one delivery differ at their ends. */
function FileName({ name }: { name: string }) {
  const end = Math.max(0, name.length - 24);
  return (
    <span className="flex min-w-0" title={name}>
      <span className="truncate whitespace-pre">{name.slice(0, end)}</span>
      <span className="shrink-0 whitespace-pre">{name.slice(end)}</span>
    </span>
  );
}
