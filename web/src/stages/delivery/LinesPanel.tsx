import { useState } from "react";
import type { Production, Reel } from "../../api/client";
import { useLaybacks, useLines, useLinesStep } from "../../api/lines";
import { parsePosition } from "../../editor/position";
import { useEditor } from "../../editor/store";
import { duration, plural } from "../../format";
import { timecodeIn } from "../../timeline/place";
import { Button, TextField } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { Laybacks } from "./Laybacks";

type Props = { open: boolean; onClose: () => void; production: Production; reel: Reel };

/** The machines outside: outputs that are played to them over the network, and the deck that the reel is laid back onto. */
export function LinesPanel({ open, onClose, production, reel }: Props) {
  const { data: lines } = useLines(reel.id, open);
  const { data: laybacks } = useLaybacks(reel.id, open);
  const step = useLinesStep(reel.id);
  const span = useEditor((s) => s.span);
  const pointer = useEditor((s) => s.pointer);
  const { start, end } = reel.worked_out;
  const [from, setFrom] = useState<string | null>(null);
  const [to, setTo] = useState<string | null>(null);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set()); // outputs that are left out
  const outputs = reel.doc.weave.outputs;
  const place = (text: string | null, otherwise: number) =>
    text === null ? otherwise : parsePosition(text, otherwise, reel.sample_rate, production.rate, start);
  const [a, b] = [place(from, span?.from ?? start), place(to, span?.to ?? end)];
  const sent = outputs.flatMap((_, i) => (left.has(i) ? [] : [i]));
  const whole = a !== null && b !== null && b > a;
  const can = whole && sent.length > 0 && lines?.deck.answers === true && !lines.playing && !step.isPending;
  const playFrom = pointer >= start && pointer < end ? pointer : start;
  const layBack = () => {
    if (!can || a === null || b === null) return;
    step.mutate({ layBack: { from: a, to: b, ...(left.size > 0 ? { outputs: sent } : {}) } });
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title={`${reel.name}: outputs over the network, and the deck`}
      className="flex w-[940px] max-w-[94vw] flex-col"
    >
      <div className="grid min-h-0 grid-cols-2 gap-6 overflow-auto px-4 pb-4">
        <section aria-label="Outputs over the network" className="flex flex-col gap-2">
          <h2 className="text-quiet">Outputs over the network</h2>
          <p role="status" className={lines?.problem ? "text-bad" : lines?.playing ? "text-good" : ""}>
            {!lines
              ? "Looking…"
              : lines.playing
                ? `${lines.layback ? "Laying back" : "Playing"}${lines.here ? "" : " another reel"}: ${lines.timecode}`
                : (lines.problem ?? "Silent")}
          </p>
          {!!lines?.held && (
            <p className="text-caution text-small">
              Sending waited {plural(lines.held, "time")} for sound that was not there in time: nothing is lost, it
              comes later.
            </p>
          )}
          {!!lines?.clipped && (
            <p className="text-caution text-small">{plural(lines.clipped, "sample")} beyond full scale held there.</p>
          )}
          <div className="flex items-center gap-3">
            {lines?.playing ? (
              <Button onClick={() => step.mutate({ stop: true })}>Stop</Button>
            ) : (
              <Button
                disabled={!lines || !!(lines.problem && lines.streams.length === 0)}
                onClick={() => step.mutate({ play: playFrom })}
              >
                Play from {timecodeIn(production, playFrom)}
              </Button>
            )}
            <a
              className="text-focus underline"
              href={`/api/reels/${reel.id}/lines/description`}
              download={`${reel.name}.sdp`}
            >
              Session description (SDP)
            </a>
          </div>
          <table aria-label="Streams" className="w-full text-left text-small">
            <thead className="text-quiet">
              <tr>
                <th className="font-normal">Sent to</th>
                <th className="font-normal">Channels</th>
              </tr>
            </thead>
            <tbody>
              {lines?.streams.map((s) => (
                <tr key={s.to} className="align-top">
                  <td className="whitespace-nowrap pr-3 font-mono">{s.to}</td>
                  <td>{s.channels.map((c, i) => `${s.first + i + 1} ${c}`).join(", ")}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="text-quiet text-small">
            RTP, linear PCM of 24 bits at 48 kHz, 1 ms a packet; timestamps are samples since midnight.
          </p>
        </section>
        <section aria-label="Deck" className="flex flex-col gap-2">
          <h2 className="text-quiet">Deck</h2>
          <p className={lines?.deck.answers ? "text-good" : "text-caution"}>
            {!lines
              ? "Looking…"
              : lines.deck.answers
                ? `Answers at ${lines.deck.url}${lines.deck.recording ? `, recording ${lines.deck.recording}` : ""}`
                : lines.deck.says}
          </p>
          {lines?.deck.answers && (
            <a className="text-focus underline" href={lines.deck.url} target="_blank" rel="noreferrer">
              Its page, with meters
            </a>
          )}
          <form
            aria-label="Lay back"
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              layBack();
            }}
          >
            <div className="flex gap-3">
              <label className="flex flex-1 flex-col gap-1 text-quiet text-small">
                From
                <TextField
                  aria-invalid={a === null}
                  className="font-mono text-ink"
                  value={from ?? timecodeIn(production, span?.from ?? start)}
                  onChange={(e) => setFrom(e.target.value)}
                />
              </label>
              <label className="flex flex-1 flex-col gap-1 text-quiet text-small">
                To
                <TextField
                  aria-invalid={b === null || !whole}
                  className="font-mono text-ink"
                  value={to ?? timecodeIn(production, span?.to ?? end)}
                  onChange={(e) => setTo(e.target.value)}
                />
              </label>
            </div>
            <fieldset className="flex max-h-28 flex-wrap gap-x-4 gap-y-1 overflow-auto text-small">
              <legend className="mb-1 text-quiet">
                {left.size === 0 ? `All ${outputs.length} outputs` : `${sent.length} of ${outputs.length} outputs`}
              </legend>
              {outputs.map((o, i) => (
                <label key={`${i} ${o.name}`} className="flex items-center gap-1">
                  <input
                    type="checkbox"
                    checked={!left.has(i)}
                    onChange={(e) => {
                      const next = new Set(left);
                      if (e.target.checked) next.delete(i);
                      else next.add(i);
                      setLeft(next);
                    }}
                  />
                  {i + 1} {o.name}
                </label>
              ))}
            </fieldset>
            <div className="flex items-center gap-3">
              <Button type="submit" disabled={!can}>
                Lay back onto the deck
              </Button>
              <span className="text-quiet text-small">
                {whole && a !== null && b !== null
                  ? `in real time: ${duration(b - a, reel.sample_rate)}`
                  : "the end comes after the beginning"}
              </span>
            </div>
          </form>
        </section>
        <Laybacks list={laybacks ?? []} onStop={(id) => step.mutate({ stopLayback: id })} />
      </div>
    </Panel>
  );
}
