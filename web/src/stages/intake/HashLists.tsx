import { useQueryClient } from "@tanstack/react-query";
import { Download, Trash2, Upload } from "lucide-react";
import { useRef } from "react";
import { api, must } from "../../api/client";
import { keys, useHashLists } from "../../api/queries";
import { plural } from "../../format";
import { Button } from "../../ui/controls";
import { failed, failing, note } from "../../ui/notes";
import { Panel } from "../../ui/Panel";

/** Whether a file that was dropped is a hash list and no recording. */
export const isHashList = (name: string) => /\.mhl$/i.test(name);

/** Gives hash lists to a production: its files, those here and those to come, are compared with them. */
export function useGiveHashLists(production: string) {
  const client = useQueryClient();
  return async (files: File[]) => {
    for (const f of files) {
      try {
        const xml = await f.text();
        await must(
          api.POST("/api/productions/{production}/hash-lists", {
            params: { path: { production } },
            body: { name: f.name, xml },
          }),
        );
        note(`${f.name}: files are compared with it as they are read.`);
      } catch (e) {
        failed(f.name, e);
      }
    }
    client.invalidateQueries({ queryKey: keys.files(production) });
  };
}

type Props = { production: string; open: boolean; onOpenChange: (open: boolean) => void };

/** Hash lists (ASC MHL): those that were given and what they say, and the one of what was taken in. */
export function HashLists({ production, open, onOpenChange }: Props) {
  const { data } = useHashLists(production);
  const client = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const give = useGiveHashLists(production);
  const remove = (list: string) =>
    must(api.DELETE("/api/hash-lists/{list}", { params: { path: { list } } })).then(
      () => client.invalidateQueries({ queryKey: keys.files(production) }),
      failing("Hash lists"),
    );
  return (
    <Panel open={open} onOpenChange={onOpenChange} title="Hash lists" className="flex w-[640px] flex-col">
      <div className="flex items-center gap-2 px-4 pb-3">
        <Button primary onClick={() => picker.current?.click()}>
          <Upload size={14} aria-hidden="true" /> Compare with a list…
        </Button>
        <a
          href={`/api/productions/${production}/hash-list`}
          download
          className="inline-flex h-7 items-center gap-1.5 bg-raised px-2.5 hover:bg-line"
        >
          <Download size={14} aria-hidden="true" /> Write a list of what was taken in
        </a>
        <input
          ref={picker}
          type="file"
          accept=".mhl"
          multiple
          aria-label="Hash list to compare with"
          className="sr-only"
          onChange={(e) => {
            void give([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
      </div>
      <div className="min-h-16 flex-1 overflow-auto border-line border-t p-4">
        {data?.length === 0 && (
          <p className="text-quiet">
            No list was given. One that lies beside the media on the shelf (folder ascmhl) is used by itself; others are
            dropped here or among the files. Files are matched by their names.
          </p>
        )}
        {data?.map((l) => (
          <section key={l.id} aria-label={l.name} className="mb-4">
            <header className="flex items-center gap-2">
              <h2 className="min-w-0 truncate font-semibold" title={l.name}>
                {l.name}
              </h2>
              <span className="text-quiet">{plural(l.entries, "entry", "entries")}</span>
              <span className="flex-1" />
              <button
                type="button"
                aria-label={`Remove ${l.name}`}
                onClick={() => remove(l.id)}
                className="flex h-7 w-7 items-center justify-center text-quiet hover:text-ink"
              >
                <Trash2 size={14} />
              </button>
            </header>
            <p>
              <span className={l.matches > 0 ? "text-good" : "text-quiet"}>{plural(l.matches, "file")} as listed</span>
              {l.waiting > 0 && <span className="text-quiet">, {l.waiting} being compared</span>}
              {l.differs.length > 0 && <span className="text-bad">, {l.differs.length} not as listed</span>}
              {l.missing_count > 0 && <span className="text-caution">, {l.missing_count} not here</span>}
            </p>
            {l.differs.length > 0 && <p className="text-bad">Not as listed: {l.differs.join(", ")}</p>}
            {l.missing.length > 0 && (
              <p className="text-quiet">
                Not here: {l.missing.join(", ")}
                {l.missing_count > l.missing.length && ` and ${l.missing_count - l.missing.length} more`}
              </p>
            )}
          </section>
        ))}
      </div>
    </Panel>
  );
}
