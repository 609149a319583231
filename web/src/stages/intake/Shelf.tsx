import { useQuery } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { api, must } from "../../api/client";
import { useSetWatch, useTakeFromShelf, useWatch } from "../../api/queries";
import { bytes, plural } from "../../format";
import { Button, TextField } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { VirtualList } from "../../ui/VirtualList";
import { shelfRows } from "./shelfRows";

/** Chooses files of the folder that the server was started with, and folders of it to watch. */
export function Shelf({
  production,
  open,
  onOpenChange,
}: {
  production: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
}) {
  const [path, setPath] = useState("");
  const [search, setSearch] = useState("");
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { data, error } = useQuery({
    queryKey: ["shelf", production, path, search],
    queryFn: () =>
      must(api.GET("/api/shelf", { params: { query: { path, production, ...(search.trim() ? { search } : {}) } } })),
    placeholderData: (before) => before,
    enabled: open,
    staleTime: 0,
  });
  const files = data?.entries.filter((e) => !e.folder && !e.here) ?? [];
  const toggled = (set: ReadonlySet<string>, p: string) => {
    const n = new Set(set);
    if (!n.delete(p)) n.add(p);
    return n;
  };
  const rows = shelfRows(data?.entries ?? [], search.trim() !== "", folded);
  const { mutate: takeIn } = useTakeFromShelf(production);
  const take = (in_place: boolean) =>
    takeIn(
      { paths: [...chosen], in_place },
      {
        onSuccess: () => {
          setChosen(new Set());
          onOpenChange(false);
        },
      },
    );
  const folders = useWatch(production).data?.folders ?? [];
  const setWatch = useSetWatch(production);
  const watched = folders.includes(path);
  const up = path.includes("/") ? path.slice(0, path.lastIndexOf("/")) : "";
  return (
    <Panel open={open} onOpenChange={onOpenChange} title="Files the server can see" className="flex w-[720px] flex-col">
      <div className="min-h-40 flex-1 p-2">
        {error && <p className="p-2 text-bad">{error.message}</p>}
        {data && !data.given && (
          <p className="p-2 text-quiet">
            The server was started without a shelf folder. Start it with --shelf and a folder's name.
          </p>
        )}
        {data?.given !== false && (
          <TextField
            type="search"
            aria-label="Search the shelf"
            placeholder={path === "" ? "Search the shelf and all its folders" : `Search ${path} and the folders in it`}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            className="mb-1 w-full"
          />
        )}
        {path !== "" && (
          <Button className="mb-1 w-full" onClick={() => setPath(up)}>
            Up from {path}
          </Button>
        )}
        <VirtualList
          items={rows}
          keyOf={(r) => ("head" in r ? `folder ${r.head}` : r.path)}
          rowHeight={28}
          label="Entries of the folder"
          className="h-96 max-h-[50vh]"
        >
          {(e) =>
            "head" in e ? (
              <button
                type="button"
                aria-expanded={!folded.has(e.head)}
                onClick={() => setFolded((f) => toggled(f, e.head))}
                className="flex h-7 w-full items-center gap-1 px-1 text-left text-quiet hover:bg-raised hover:text-ink"
              >
                {folded.has(e.head) ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
                <span className="truncate" title={e.head}>
                  {e.head || "the shelf itself"}
                </span>
                <span className="figures text-small">{plural(e.count, "file")}</span>
              </button>
            ) : e.folder ? (
              <Button className="w-full !bg-transparent" onClick={() => setPath(e.path)}>
                {e.name} /
              </Button>
            ) : (
              <label className="flex h-7 items-center gap-3 px-2 hover:bg-raised">
                <input
                  type="checkbox"
                  checked={chosen.has(e.path)}
                  onChange={() => setChosen((c) => toggled(c, e.path))}
                />
                <span className={`flex-1 truncate ${e.here ? "text-quiet" : ""}`} title={e.path}>
                  {e.name}
                </span>
                {e.here && <span className="text-good text-small">here already</span>}
                <span className="figures w-20 text-right text-quiet text-small">{bytes(e.size)}</span>
              </label>
            )
          }
        </VirtualList>
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-3">
        <Button onClick={() => setChosen(new Set(files.map((f) => f.path)))} disabled={files.length === 0}>
          Choose all {files.length} not here
        </Button>
        <Button
          aria-pressed={watched}
          title="New files in this folder, and in those below it, are offered in Intake once they are finished"
          onClick={() => setWatch.mutate(watched ? folders.filter((f) => f !== path) : [...folders, path])}
          disabled={!data?.given}
        >
          {watched ? "Stop watching" : "Watch"}{" "}
          {path === "" ? "the whole shelf" : path.slice(path.lastIndexOf("/") + 1)}
        </Button>
        <span className="flex-1" />
        <Button
          disabled={chosen.size === 0}
          onClick={() => take(true)}
          title="The files stay where they are and are only read. One that is moved or changed later is a snag."
        >
          Take in place
        </Button>
        <Button primary disabled={chosen.size === 0} onClick={() => take(false)}>
          Copy {plural(chosen.size, "file")}
        </Button>
      </footer>
    </Panel>
  );
}
