import { useRef, useState } from "react";
import type { Reel } from "../../api/client";
import {
  useBeginnings,
  useKeepTemplate,
  useSetBeginning,
  useWeavePreview,
  useWeaveTemplates,
  type WeaveChange,
} from "../../api/weave";
import { Button, Key, TextField } from "../../ui/controls";
import { saveText } from "../../ui/download";
import { wrong } from "../../ui/notes";
import { Panel } from "../../ui/Panel";

type Props = {
  open: boolean;
  onClose: () => void;
  reel: Reel;
  production: string;
  change: (what: string, c: WeaveChange) => void;
  /** Name of the template that is looked at first. */
  first?: string;
};

const tones: Record<string, string> = {
  added: "text-good",
  changed: "text-caution",
  gone: "text-caution",
  "without a place": "text-bad",
  kept: "text-quiet",
};

/** Templates of routings: what each would do to this reel, row by row, before it is used. */
export function TemplatesPanel({ open, onClose, reel, production, change, first }: Props) {
  const { data: list } = useWeaveTemplates(open);
  const [moved, setAt] = useState<number | null>(null);
  const at = moved ?? Math.max(0, list?.findIndex((t) => t.template.name === first) ?? 0);
  const [naming, setNaming] = useState<{ name: string; description: string } | null>(null);
  const [all, setAll] = useState(false);
  const keep = useKeepTemplate();
  const { data: beginnings } = useBeginnings(production, open);
  const begin = useSetBeginning();
  const file = useRef<HTMLInputElement>(null);
  const chosen = list?.[at];
  const use: WeaveChange | null = chosen ? { use: { template: chosen.template } } : null;
  const preview = useWeavePreview(reel.id, reel.version, open ? use : null);
  const rows = preview.data?.rows ?? [];
  const shown = all ? rows : rows.filter((r) => r.state !== "kept");
  const go = () => {
    if (!chosen || !use) return;
    change(`weave by ${chosen.template.name}`, use);
    onClose();
  };
  const read = async (f: File) => {
    try {
      keep.mutate({ template: JSON.parse(await f.text()) });
    } catch {
      wrong("Templates", `${f.name} is no JSON: a template that was written here is expected.`);
    }
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Weave by a template"
      className="flex w-[980px] max-w-[94vw] flex-col"
    >
      <div className="flex min-h-0 flex-1 gap-4 px-4" style={{ height: 430 }}>
        <div
          role="listbox"
          tabIndex={0}
          aria-label="Templates"
          aria-activedescendant={chosen ? `template-${chosen.id}` : undefined}
          className="w-80 shrink-0 overflow-auto border border-line bg-ground"
          onKeyDown={(e) => {
            if (e.key === "ArrowDown") setAt(Math.min((list?.length ?? 1) - 1, at + 1));
            else if (e.key === "ArrowUp") setAt(Math.max(0, at - 1));
            else if (e.key === "Enter") go();
            else return;
            e.preventDefault();
            e.stopPropagation();
          }}
        >
          {list?.map((t, i) => (
            <div
              key={t.id}
              id={`template-${t.id}`}
              role="option"
              aria-selected={i === at}
              tabIndex={-1}
              onClick={() => setAt(i)}
              onDoubleClick={go}
              onKeyDown={() => undefined}
              className={`cursor-default border-l-4 px-3 py-1.5 ${i === at ? "border-focus bg-raised" : "border-transparent"}`}
            >
              <span className="block">{t.template.name}</span>
              {(t.template.name === beginnings?.production || t.template.name === beginnings?.house) && (
                <span className="block text-focus text-small">
                  new reels begin with it
                  {t.template.name === beginnings.production ? "" : ", in productions that say nothing else"}
                </span>
              )}
              <span className="text-quiet text-small">{t.template.description}</span>
            </div>
          ))}
        </div>
        <section aria-label="What it would do" className="flex min-w-0 flex-1 flex-col">
          <p className="flex items-center gap-3 pb-2 text-quiet">
            <span className="flex-1">
              {preview.error ? (
                <span className="text-bad">{preview.error.message}</span>
              ) : preview.data ? (
                counted(rows)
              ) : (
                "Looking what it would do…"
              )}
            </span>
            <label className="flex items-center gap-1">
              <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} />
              also what stays as it is
            </label>
          </p>
          <div className="min-h-0 flex-1 overflow-auto border border-line">
            <table aria-label="Rows that change" className="w-full border-separate border-spacing-0">
              <tbody>
                {preview.data?.lost.map((l) => (
                  <tr key={l}>
                    <td colSpan={4} className="border-line border-b px-2 py-1 text-bad">
                      {l}
                    </td>
                  </tr>
                ))}
                {shown.map((r, i) => (
                  <tr key={`${r.what} ${r.name} ${i}`}>
                    <td className="border-line border-b px-2 py-1 text-quiet">{r.what}</td>
                    <td className="max-w-40 truncate border-line border-b px-2 py-1" title={r.name}>
                      {r.name}
                    </td>
                    <td className={`whitespace-nowrap border-line border-b px-2 py-1 ${tones[r.state] ?? ""}`}>
                      {r.state}
                    </td>
                    <td className="border-line border-b px-2 py-1 text-small">{r.says}</td>
                  </tr>
                ))}
                {preview.data && shown.length === 0 && (
                  <tr>
                    <td className="px-2 py-2 text-quiet">Nothing would change: the reel is woven like that.</td>
                  </tr>
                )}
              </tbody>
            </table>
          </div>
          {chosen && beginnings && (
            <fieldset className="flex flex-wrap items-center gap-x-4 pt-2">
              <legend className="sr-only">Where new reels begin with {chosen.template.name}</legend>
              <span className="text-quiet">New reels begin with it</span>
              {(
                [
                  ["in this production", beginnings.production, production],
                  ["in all productions that say nothing else", beginnings.house, undefined],
                ] as const
              ).map(([where, now, of]) => (
                <label key={where} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    checked={now === chosen.template.name}
                    onChange={(e) =>
                      begin.mutate({ production: of, template: e.target.checked ? chosen.template.name : "" })
                    }
                  />
                  {where}
                </label>
              ))}
            </fieldset>
          )}
        </section>
      </div>
      <footer className="flex flex-wrap items-center gap-2 p-4">
        {naming ? (
          <form
            className="flex flex-1 items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              keep.mutate({ reel: reel.id, ...naming });
              setNaming(null);
            }}
          >
            <TextField
              autoFocus
              required
              aria-label="Name of the template"
              placeholder="Name"
              value={naming.name}
              maxLength={200}
              onChange={(e) => setNaming({ ...naming, name: e.target.value })}
            />
            <TextField
              aria-label="Description of the template"
              placeholder="What it is for"
              className="flex-1"
              value={naming.description}
              maxLength={2000}
              onChange={(e) => setNaming({ ...naming, description: e.target.value })}
            />
            <Button type="submit" primary>
              Keep
            </Button>
            <Button onClick={() => setNaming(null)}>Leave it</Button>
          </form>
        ) : (
          <>
            <Button onClick={() => setNaming({ name: "", description: "" })}>
              Keep this reel's weave as a template…
            </Button>
            <Button onClick={() => file.current?.click()}>Read one from a file…</Button>
            <input
              ref={file}
              type="file"
              accept=".json,application/json"
              aria-label="File of a template"
              className="hidden"
              onChange={(e) => {
                const f = e.target.files?.[0];
                if (f) void read(f);
                e.target.value = "";
              }}
            />
            {chosen && (
              <Button
                onClick={() => saveText(`${chosen.template.name}.json`, JSON.stringify(chosen.template, null, 2))}
              >
                Write it to a file
              </Button>
            )}
            {chosen && !chosen.shipped && (
              <Button className="text-bad" onClick={() => keep.mutate({ forget: chosen.id })}>
                Forget it
              </Button>
            )}
            <span className="flex-1" />
            <Button primary disabled={!preview.data} onClick={go}>
              Use it <Key>Enter</Key>
            </Button>
          </>
        )}
      </footer>
    </Panel>
  );
}

/** How many rows there are of each state. */
function counted(rows: { state: string }[]): string {
  const n = new Map<string, number>();
  for (const r of rows) n.set(r.state, (n.get(r.state) ?? 0) + 1);
  return [...n].map(([state, k]) => `${k} ${state}`).join(", ");
}
