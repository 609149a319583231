import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../../api/client";
import { useSetWatch, useTakeFromShelf, useWatch } from "../../api/queries";
import { bytes, plural } from "../../format";
import { Button } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { VirtualList } from "../../ui/VirtualList";

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
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { data, error } = useQuery({
    queryKey: ["shelf", path],
    queryFn: () => must(api.GET("/api/shelf", { params: { query: { path } } })),
    enabled: open,
    staleTime: 0,
  });
  const files = data?.entries.filter((e) => !e.folder) ?? [];
  const toggle = (p: string) =>
    setChosen((c) => {
      const n = new Set(c);
      if (!n.delete(p)) n.add(p);
      return n;
    });
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
        {path !== "" && (
          <Button className="mb-1 w-full" onClick={() => setPath(up)}>
            Up from {path}
          </Button>
        )}
        <VirtualList
          items={data?.entries ?? []}
          keyOf={(e) => e.path}
          rowHeight={28}
          label="Entries of the folder"
          className="h-96 max-h-[50vh]"
        >
          {(e) =>
            e.folder ? (
              <Button className="w-full !bg-transparent" onClick={() => setPath(e.path)}>
                {e.name} /
              </Button>
            ) : (
              <label className="flex h-7 items-center gap-3 px-2 hover:bg-raised">
                <input
                  type="checkbox"
                  checked={chosen.has(e.path)}
                  onChange={() => toggle(e.path)}
                  className="accent-focus"
                />
                <span className="flex-1 truncate">{e.name}</span>
                <span className="figures text-quiet text-small">{bytes(e.size)}</span>
              </label>
            )
          }
        </VirtualList>
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-3">
        <Button onClick={() => setChosen(new Set(files.map((f) => f.path)))} disabled={files.length === 0}>
          Choose all {files.length}
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
