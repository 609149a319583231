import { useEffect, useRef, useState } from "react";
import { type DeliverySpec, type Spec, useKeepSpec } from "../../api/delivery";
import { Button } from "../../ui/controls";
import { saveText } from "../../ui/download";
import { wrong } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { SpecFields } from "./SpecFields";
import { specWords } from "./words";

type Props = { open: boolean; onClose: () => void; chosen: Spec };

/** A specification field by field, in words and as its JSON: edited, kept under a name, read from a file and written to one. */
export function SpecPanel({ open, onClose, chosen }: Props) {
  const keep = useKeepSpec();
  const file = useRef<HTMLInputElement>(null);
  const [text, setText] = useState("");
  useEffect(() => {
    if (open) setText(JSON.stringify(chosen.spec, null, 2));
  }, [open, chosen]);
  const { spec, why } = parsed(text);
  const set = (part: Partial<DeliverySpec>) => spec && setText(JSON.stringify({ ...spec, ...part }, null, 2));
  const own = spec && (!chosen.shipped || String(spec.name ?? "").trim() !== chosen.spec.name);
  const read = async (f: File) => {
    const read = parsed(await f.text());
    if (read.spec) setText(JSON.stringify(read.spec, null, 2));
    else wrong("Specifications", `${f.name} is no JSON: a specification is expected.`);
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Delivery specification"
      className="flex h-[88vh] w-[1220px] max-w-[96vw] flex-col"
    >
      <div className="flex min-h-0 flex-1 gap-4 px-4">
        <section aria-label="Field by field" className="w-[640px] shrink-0 overflow-auto p-0.5 pr-2">
          {spec && <Fields spec={spec} set={set} />}
        </section>
        <div className="flex min-w-0 flex-1 flex-col gap-2">
          {spec && (
            <table aria-label="What it asks for" className="block max-h-[40%] w-full overflow-auto">
              <tbody>
                {safeWords(spec).map((r) => (
                  <tr key={r.what} className="border-line border-t align-top">
                    <th className="w-28 py-1 pr-2 text-left font-normal text-quiet">{r.what}</th>
                    <td className="py-1">{r.says}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <label className="flex min-w-0 flex-1 flex-col gap-1 text-quiet">
            <span className="flex justify-between">
              As it is mailed (JSON)
              <a href="/api/specs/schema.json" target="_blank" rel="noreferrer" className="text-focus underline">
                what may stand in it
              </a>
            </span>
            <textarea
              aria-label="Specification as JSON"
              value={text}
              onChange={(e) => setText(e.target.value)}
              spellCheck={false}
              className="figures min-h-0 flex-1 resize-none whitespace-pre border border-line bg-ground p-2 text-ink text-small"
            />
          </label>
        </div>
      </div>
      <footer className="flex items-center gap-2 p-4">
        <Button onClick={() => file.current?.click()}>Read one from a file…</Button>
        <input
          ref={file}
          type="file"
          accept=".json,application/json"
          aria-label="File of a specification"
          className="hidden"
          onChange={(e) => {
            const f = e.target.files?.[0];
            if (f) void read(f);
            e.target.value = "";
          }}
        />
        <Button disabled={!spec} onClick={() => spec && saveText(`${spec.name}.json`, text)}>
          Write it to a file
        </Button>
        {!chosen.shipped && (
          <Button className="text-bad" onClick={() => keep.mutate({ forget: chosen.id }, { onSuccess: onClose })}>
            Forget it
          </Button>
        )}
        <p className={`min-w-0 flex-1 truncate text-right text-small ${why ? "text-bad" : "text-quiet"}`} title={why}>
          {why || (own ? "" : "This one comes with the program: give it another name to keep a change.")}
        </p>
        <Button
          primary
          disabled={!own || keep.isPending}
          onClick={() => spec && keep.mutate({ spec }, { onSuccess: onClose })}
        >
          Keep it
        </Button>
      </footer>
    </Panel>
  );
}

function parsed(text: string): { spec: DeliverySpec | null; why: string } {
  try {
    const spec = JSON.parse(text) as DeliverySpec;
    return typeof spec === "object" && spec !== null
      ? { spec, why: "" }
      : { spec: null, why: "An object is expected." };
  } catch (e) {
    return { spec: null, why: text === "" ? "" : String(e instanceof Error ? e.message : e) };
  }
}

/** The fields, where what is being typed has the shape of a specification. */
function Fields({ spec, set }: { spec: DeliverySpec; set: (part: Partial<DeliverySpec>) => void }) {
  const object = (v: unknown) => typeof v === "object" && v !== null;
  const list = (v: unknown) => v === undefined || (Array.isArray(v) && v.every(object));
  const whole =
    [spec.programme, spec.names, spec.metadata, spec.papers].every(object) &&
    [spec.limits, spec.programme.before, spec.programme.after].every(list) &&
    list(spec.packings ?? null) &&
    spec.packings.length > 0 &&
    spec.packings.every((p) => list(p.files ?? null) && p.files.length > 0 && p.files.every((f) => list(f.groups)));
  if (!whole) return <p className="text-bad">This is no specification yet: see what may stand in it.</p>;
  return <SpecFields spec={spec} set={set} />;
}

/** Words for what is being typed and may be no specification yet. */
function safeWords(spec: DeliverySpec) {
  try {
    return specWords(spec);
  } catch {
    return [];
  }
}
