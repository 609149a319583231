import { useProgress } from "../../api/events";
import { type Layback, underWay } from "../../api/lines";
import { count, plural } from "../../format";
import { Button, Progress } from "../../ui/controls";
import { seals } from "./seals";

const states: Record<Layback["state"], { says: string; tone: string }> = {
  playing: { says: "playing", tone: seals.making.tone },
  comparing: { says: "comparing", tone: seals.proving.tone },
  proven: seals.proven,
  failed: seals.failed,
  stopped: { says: "stopped", tone: "text-caution" },
};

/** What became of each layback: that what the deck recorded is what was sent, or every place where it is not. */
export function Laybacks({ list, onStop }: { list: Layback[]; onStop: (id: string) => void }) {
  if (list.length === 0) return null;
  return (
    <section aria-label="Laybacks" className="col-span-2">
      <h2 className="mb-1 text-quiet">Laybacks</h2>
      <ul className="flex flex-col">
        {list.map((l) => (
          <Row key={l.id} layback={l} onStop={() => onStop(l.id)} />
        ))}
      </ul>
    </section>
  );
}

function Row({ layback: l, onStop }: { layback: Layback; onStop: () => void }) {
  const progress = useProgress((s) => s[l.id]);
  const { says, tone } = states[l.state];
  const name = `${l.from_timecode} to ${l.to_timecode}`;
  const began = new Date(l.began_at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  return (
    <li aria-label={`Layback ${name}, ${says}`} className="border-line border-t py-1.5">
      <div className="flex items-center gap-4">
        <span className="font-mono">{name}</span>
        <span className="text-quiet text-small" title={l.names.join(", ")}>
          {plural(l.outputs.length, "output")}, {began}
        </span>
        <span className={`ml-auto ${tone}`}>{says}</span>
        {underWay(l) && <Button onClick={onStop}>Stop</Button>}
      </div>
      {underWay(l) && progress && (
        <Progress
          done={progress.done}
          total={progress.total}
          label={`Layback ${name}`}
          say={`${Math.floor((100 * progress.done) / Math.max(1, progress.total))} %`}
        />
      )}
      <Verdict layback={l} />
    </li>
  );
}

/** In words, what was compared and what is missing. */
function Verdict({ layback: l }: { layback: Layback }) {
  if (l.error) return <p className={`text-small ${l.state === "failed" ? "text-bad" : "text-quiet"}`}>{l.error}</p>;
  if (!l.compared) return null;
  if (l.state === "proven")
    return (
      <p className="text-quiet text-small">
        {count(l.compared)} samples of each of {plural(l.outputs.length, "output")} are on the deck bit for bit, as{" "}
        {l.recording}.{strangers(l)}
      </p>
    );
  return (
    <details className="text-small">
      <summary className="text-bad">
        {[
          l.gaps.length > 0 && `${plural(l.gaps.length, "gap")}, ${count(l.missing ?? 0)} samples missing`,
          l.differences.length > 0 && `${plural(l.differences.length, "output")} not as sent`,
        ]
          .filter(Boolean)
          .join("; ")}
        {strangers(l)}
      </summary>
      <ul aria-label="Where it differs" className="max-h-40 overflow-auto font-mono">
        {l.gaps.map((g) => (
          <li key={`${g.from} ${g.first}`}>
            {g.timecode}: {plural(g.to - g.from, "sample")} of {names(l, g.first, g.last)} did not come
          </li>
        ))}
        {l.differences.map((d) => (
          <li key={d.channel}>
            {names(l, d.channel, d.channel)}: {plural(d.samples, "sample")} differ, the first at {d.timecode}
          </li>
        ))}
      </ul>
    </details>
  );
}

/** That somebody else sent to the deck, too. */
const strangers = (l: Layback) =>
  l.strangers ? ` ${plural(l.strangers, "packet")} that somebody else sent there came to nothing.` : "";

/** Channels of a recording by the names of the outputs that were sent. */
function names(l: Layback, first: number, last: number): string {
  const of = (c: number) => `${c} ${l.names[c - 1] ?? ""}`.trim();
  return first === last ? of(first) : `${of(first)} to ${of(last)}`;
}
