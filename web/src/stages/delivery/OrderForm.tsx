import { useDeferredValue, useMemo, useState } from "react";
import type { Reel, Schemas } from "../../api/client";
import { type DeliveryOrder, useChooseSpec, useOrder, usePreflight, useSpecs } from "../../api/delivery";
import { useFiles, useProduction } from "../../api/queries";
import { useEditReel, useReel } from "../../api/reel";
import { type Span, useEditor } from "../../editor/store";
import { duration, plural, timecodeAt } from "../../format";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Key, TextField } from "../../ui/controls";
import { note, wrong } from "../../ui/notes";
import { TemplatesPanel } from "../weave/TemplatesPanel";
import { HowMuch } from "./HowMuch";
import { type Named, Only } from "./Only";
import { Planned } from "./Planned";
import { SpecPanel } from "./SpecPanel";
import { pictured, specWords } from "./words";

const testSeconds = 10;

/** What is ordered: by which spec, as which files; what stands in the way; a test of a span first. */
export function OrderForm({ production, onOutside }: { production: string; onOutside: () => void }) {
  const { data: facts } = useProduction(production);
  const { data: reel } = useReel(production);
  const { data: specs } = useSpecs();
  const { data: files } = useFiles(production);
  const choose = useChooseSpec(production);
  const [packing, setPacking] = useState("");
  const [typed, setPattern] = useState<string | null>(null);
  const [picked, setPicture] = useState<string | null>(null);
  const [black, setBlack] = useState(false);
  const [only, setOnly] = useState<string[]>([]);
  const [recipient, setRecipient] = useState("");
  const [looking, setLooking] = useState(false);
  const [weaving, setWeaving] = useState(false);
  const span = useEditor((s) => s.span);
  const pointer = useEditor((s) => s.pointer);
  const cut = useEditor((s) => s.cutDown && s.span !== null);
  const tracks = useEditor((s) => s.tracks);
  const edit = useEditReel(production);
  // What has been chosen counts at once: nothing is ordered by the one before.
  const held = choose.isPending && choose.variables.reel === reel?.id ? choose.variables.spec : reel?.spec;
  const kept = specs?.find((s) => s.id === held) ?? specs?.[0];
  const spec = kept?.spec;
  const chosen = spec?.packings.find((p) => p.id === packing) ?? spec?.packings[0];
  const pattern = typed ?? "";
  const asked = useDeferredValue(pattern);
  const takesPicture = chosen?.files.some((f) => pictured(f.container) && f.picture !== "none") ?? false;
  const pictures = takesPicture ? (files?.filter((f) => f.picture && f.state === "ready") ?? []) : [];
  // A cut-down takes along what is seen in the reel over its span, where nobody has said otherwise.
  const seen = cut && span ? reel?.doc.pictures?.find((p) => p.at < span.to && span.from < p.at + p.length) : undefined;
  const picture = picked ?? seen?.file ?? "";
  const kinds = reel && chosen ? listed(chosen, reel.doc) : [];
  const wanted = only.filter((id) => kinds.some((k) => k.all.some((a) => a.id === id)));
  const body: DeliveryOrder | undefined = kept &&
    chosen && {
      spec: kept.id,
      packing: chosen.id,
      ...(asked ? { pattern: asked } : {}),
      ...(pictures.some((f) => f.id === picture) ? { picture, ...(black && !cut ? { black } : {}) } : {}),
      ...(wanted.length > 0 ? { only: wanted } : {}),
      ...(cut && span ? { ...span, cut: true } : {}),
    };
  const preflight = usePreflight(production, reel, body);
  const order = useOrder(production);
  const plan = preflight.data;
  const can = !!plan && !plan.stops && !preflight.error && !order.isPending;
  const demands = spec ? specWords(spec).filter((r) => r.what !== "Sound" && r.what !== "Papers" && !ordinary(r)) : [];
  const channels = plan?.files.reduce((n, f) => n + f.channels.length, 0) ?? 0;
  const { mutate } = order;
  // What is in the way, and is to be so where it is ordered all the same.
  const asks = useMemo(() => plan?.findings.filter((f) => f.asks) ?? [], [plan]);
  const send = useMemo(
    () =>
      (test: boolean, allTheSame = test) => {
        if (!can || !reel || !body || !plan) return;
        if (asks.length > 0 && !allTheSame) {
          wrong(
            "Order",
            `${plural(asks.length, "snag")} in the way: mend what it says, or Shift Enter orders it all the same.`,
          );
          return;
        }
        const rate = reel.sample_rate;
        const from = span?.from ?? Math.max(pointer, Math.round((plan.start + plan.lead) * (rate / plan.sample_rate)));
        const range = span ?? { from, to: from + testSeconds * rate };
        const accept = [...new Set(asks.map((f) => f.code))];
        const asked = {
          ...body,
          ...(recipient.trim() ? { recipient: recipient.trim() } : {}),
          ...(accept.length > 0 ? { accept } : {}),
        };
        mutate({ reel: reel.id, orders: [test ? { ...asked, ...range, cut: false } : asked] });
      },
    [can, reel, body, plan, asks, recipient, span, pointer, mutate],
  );
  const list = useMemo<Command[]>(
    () => [
      { id: "order", name: "Order this delivery", key: "Enter", run: () => send(false) },
      {
        id: "order all the same",
        name: "Order this delivery all the same, with what is in the way",
        key: "shift+Enter",
        run: () => send(false, true),
      },
      {
        id: "cut down",
        name: "Order the span chosen in Reel alone, or all of the reel",
        key: "c",
        run: () => {
          const { span, cutDown } = useEditor.getState();
          if (span) useEditor.setState({ cutDown: !cutDown });
          else note("Choose a span in Reel first: drag over the tracks, or S and E at its start and end.");
        },
      },
      {
        id: "black",
        name: "Make black where the reel reaches beyond the picture, or not",
        key: "b",
        run: () => (picture && !cut ? setBlack((b) => !b) : note("Choose a picture that goes along first.")),
      },
      { id: "order test", name: "Order a test of a short range first", key: "t", run: () => send(true) },
      {
        id: "look at spec",
        name: "Look at the specification, edit it, read one from a file",
        key: "s",
        run: () => setLooking(true),
      },
      { id: "lines", name: "Lay back onto a deck, or play outputs over the network", key: "l", run: onOutside },
    ],
    [send, onOutside, picture, cut],
  );
  useCommandList("Delivery", list);
  if (!spec || !kept || !reel || !chosen) return <div className="w-[460px] shrink-0 border-line border-r" />;
  const test = span
    ? `the span chosen in Reel, ${duration(span.to - span.from, reel.sample_rate)}`
    : `${testSeconds} s from ${facts ? timecodeAt(Math.max(pointer, plan ? plan.start + plan.lead : 0), reel.sample_rate, facts.rate) : "the start"}`;

  return (
    <form
      aria-label="Order"
      className="flex w-[460px] shrink-0 flex-col border-line border-r"
      onSubmit={(e) => {
        e.preventDefault();
        send(false);
      }}
    >
      <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-4">
        <div className="flex items-end gap-2">
          <label className="flex min-w-0 flex-1 flex-col gap-1 text-quiet">
            {reel.name} is held against
            <Choice
              value={kept.id}
              aria-label="Specification"
              className="w-full"
              onChange={(e) => {
                choose.mutate({ reel: reel.id, spec: e.target.value });
                setPacking("");
                setPattern(null);
              }}
            >
              {specs?.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.spec.name}
                  {s.spec.version > 1 ? `, version ${s.spec.version}` : ""}
                </option>
              ))}
            </Choice>
          </label>
          <Button onClick={() => setLooking(true)}>
            Specification… <Key>S</Key>
          </Button>
        </div>
        <p className="text-quiet">{spec.description}</p>
        {demands.length > 0 && (
          <ul aria-label="What it demands besides" className="text-small">
            {demands.map((r) => (
              <li key={r.what}>
                <span className="text-quiet">{r.what}:</span> {r.says}
              </li>
            ))}
          </ul>
        )}
        {spec.packings.length > 1 && (
          <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
            <legend className="mb-1 text-quiet">Files</legend>
            {spec.packings.map((p) => (
              <label key={p.id} className="flex min-h-6 items-center gap-2">
                <input type="radio" name="packing" checked={chosen.id === p.id} onChange={() => setPacking(p.id)} />
                {p.says}
              </label>
            ))}
          </fieldset>
        )}
        <HowMuch
          span={span}
          says={span && facts ? spanSays(span, reel.sample_rate, facts.rate) : ""}
          cut={cut}
          set={(cutDown) => useEditor.setState({ cutDown })}
        />
        {kinds.map((k) => (
          <Only key={k.what} {...k} only={only} chosen={tracks} set={setOnly} />
        ))}
        {takesPicture && (
          <label className="flex flex-col gap-1 text-quiet">
            Picture that goes along
            <Choice value={picture} onChange={(e) => setPicture(e.target.value)}>
              <option value="">none: sound alone</option>
              {pictures.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}
                </option>
              ))}
            </Choice>
          </label>
        )}
        {takesPicture && picture && !cut && (
          <label className="flex min-h-6 items-center gap-2">
            <input type="checkbox" checked={black} onChange={(e) => setBlack(e.target.checked)} />
            Make black where the reel reaches beyond it <Key>B</Key>
          </label>
        )}
        <label className="flex flex-col gap-1 text-quiet">
          File names
          <TextField
            value={pattern}
            placeholder={chosen.files.map((f) => f.name).join("   ")}
            onChange={(e) => setPattern(e.target.value)}
            spellCheck={false}
            className="figures"
          />
        </label>
        <label className="flex items-center gap-2 text-quiet">
          To whom
          <TextField
            value={recipient}
            maxLength={200}
            placeholder="for the papers"
            onChange={(e) => setRecipient(e.target.value)}
            className="min-w-0 flex-1"
          />
        </label>
        {preflight.error ? (
          <p role="alert" className="text-bad">
            {preflight.error.message}
          </p>
        ) : (
          plan && (
            <Planned
              plan={plan}
              production={production}
              weave={
                spec.template && plan.findings.some((f) => f.stops && f.stage === "weave")
                  ? () => setWeaving(true)
                  : undefined
              }
            />
          )
        )}
      </div>
      <div className="flex flex-col gap-2 border-line border-t p-4">
        <p className="text-quiet text-small">A test is {test}; its files are named as one.</p>
        <div className="flex gap-2">
          <Button disabled={!can} className="h-9 justify-center" onClick={() => send(true)}>
            Test first <Key>T</Key>
          </Button>
          {asks.length > 0 ? (
            <Button disabled={!can} className="h-9 flex-1 justify-center" onClick={() => send(false, true)}>
              Order {cut ? "the cut-down " : ""}all the same <Key>Shift Enter</Key>
            </Button>
          ) : (
            <Button primary type="submit" disabled={!can} className="h-9 flex-1 justify-center">
              Order {cut ? "the cut-down, " : ""}
              {plan ? plural(channels, "channel") : "it"} <Key>Enter</Key>
            </Button>
          )}
        </div>
        {asks.length > 0 && (
          <p className="text-caution text-small">
            Ordered all the same: {[...new Set(asks.map((f) => missing[f.code] ?? f.message))].join("; ")}.
          </p>
        )}
      </div>
      <SpecPanel open={looking} onClose={() => setLooking(false)} chosen={kept} />
      <TemplatesPanel
        open={weaving}
        onClose={() => setWeaving(false)}
        reel={reel}
        production={production}
        first={spec.template}
        change={(what, c) => edit.mutate(() => ({ what, actions: [{ weave: c }] }))}
      />
    </form>
  );
}

/** What a delivery lacks that is ordered all the same, by what was in its way. */
const missing: Record<string, string> = {
  output_silent: "some outputs are silent",
  no_stem: "tracks without a stem are not heard",
  stem_not_out: "stems that are in no file are not heard",
  not_delivered: "part of the reel is in no file",
  implausible_length: "it is as long as it is",
};

/** A span in timecode, with how long it is. */
const spanSays = (s: Span, sampleRate: number, rate: Schemas["Rate"]) =>
  `${timecodeAt(s.from, sampleRate, rate)} to ${timecodeAt(s.to, sampleRate, rate)}, ${duration(s.to - s.from, sampleRate)}`;

/** What a packing has a file or a group for each of, that the order may name some of. */
function listed(packing: Schemas["SpecPacking"], doc: Reel["doc"]): { what: string; all: Named[] }[] {
  const each = new Set(packing.files.flatMap((f) => [f.each, ...(f.groups ?? []).map((g) => g.each)]));
  const out: { what: string; all: Named[] }[] = [];
  if (each.has("track"))
    out.push({ what: "track", all: doc.tracks.map((t, i) => ({ id: t.id, name: t.label || `Track ${i + 1}` })) });
  for (const role of ["stem", "part", "mix"] as const)
    if (each.has(role)) out.push({ what: role, all: doc.weave.buses.filter((b) => b.role === role) });
  return out.filter((k) => k.all.length > 1);
}

/** What nearly every specification says is not worth a line. */
const ordinary = (r: { what: string; says: string }) => r.what === "Programme" && r.says === "to the reel's end";
