import { useQueryClient } from "@tanstack/react-query";
import { FolderSearch } from "lucide-react";
import { useState } from "react";
import { api, must } from "../../api/client";
import { keys, useTakeFromShelf, useWatch } from "../../api/queries";
import { bytes, plural } from "../../format";
import { Button } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { VirtualList } from "../../ui/VirtualList";
import { SnagLine } from "./FileCardView";

/** What watched folders of the shelf hold that is not here: taken in with one key, or left. */
export function Offered({ production }: { production: string }) {
  const { data } = useWatch(production);
  const client = useQueryClient();
  const { mutate: takeIn } = useTakeFromShelf(production);
  const [open, setOpen] = useState(false);
  if (!data || data.folders.length === 0) return null;
  const paths = data.offered.map((e) => e.path);
  const leave = () =>
    must(
      api.POST("/api/productions/{production}/watch/decline", {
        params: { path: { production } },
        body: { paths },
      }),
    ).then((now) => client.setQueryData(keys.watch(production), now), failing("Watched folders"));
  const where = data.folders.map((f) => f || "the whole shelf").join(", ");
  return (
    <section aria-label="Watched folders" className="shrink-0 border-line border-b bg-panel px-4 py-2">
      <div className="flex min-h-7 items-center gap-3">
        <FolderSearch size={14} aria-hidden="true" className="shrink-0 text-quiet" />
        <p className="min-w-0 flex-1 truncate" title={where}>
          {paths.length === 0 ? (
            <span className="text-quiet">Watching {where}: nothing new.</span>
          ) : (
            <>
              <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="underline">
                {plural(paths.length + data.more, "new file")}
              </button>{" "}
              <span className="text-quiet">in {where}</span>
            </>
          )}
          {data.growing > 0 && <span className="text-quiet">, {plural(data.growing, "file")} still being written</span>}
        </p>
        {paths.length > 0 && (
          <>
            <Button onClick={leave} title="They are not offered again; the shelf still has them">
              Leave them
            </Button>
            <Button
              onClick={() => takeIn({ paths, in_place: true })}
              title="The files stay where they are and are only read"
            >
              Take in place
            </Button>
            <Button primary onClick={() => takeIn({ paths, in_place: false })}>
              Copy {plural(paths.length, "file")}
            </Button>
          </>
        )}
      </div>
      {data.snags.map((s) => (
        <SnagLine key={s.message} snag={s} />
      ))}
      {open && (
        <VirtualList
          items={data.offered}
          keyOf={(e) => e.path}
          rowHeight={24}
          label="New files"
          className="mt-1 h-40 pl-7"
        >
          {(e) => (
            <span className="flex h-6 items-center gap-3">
              <span className="min-w-0 flex-1 truncate">{e.path}</span>
              <span className="figures text-quiet text-small">{bytes(e.size)}</span>
            </span>
          )}
        </VirtualList>
      )}
    </section>
  );
}
