import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../../api/client";
import { failed } from "../../api/queries";
import { bytes, plural } from "../../format";
import { Button } from "../../ui/controls";
import { note } from "../../ui/notes";
import { Panel } from "../../ui/Panel";

/** Chooses files of the folder that the server was started with. */
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
  const take = async () => {
    try {
      await must(
        api.POST("/api/productions/{production}/shelf", {
          params: { path: { production } },
          body: { paths: [...chosen] },
        }),
      );
      note(`${plural(chosen.size, "file")} on the way in.`);
      setChosen(new Set());
      onOpenChange(false);
    } catch (e) {
      failed(e);
    }
  };
  const up = path.includes("/") ? path.slice(0, path.lastIndexOf("/")) : "";
  return (
    <Panel open={open} onOpenChange={onOpenChange} title="Files the server can see" className="flex w-[640px] flex-col">
      <div className="min-h-40 flex-1 overflow-auto p-2">
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
        {data?.entries.map((e) =>
          e.folder ? (
            <Button key={e.path} className="mb-px w-full !bg-transparent" onClick={() => setPath(e.path)}>
              {e.name} /
            </Button>
          ) : (
            <label key={e.path} className="flex h-7 items-center gap-3 px-2 hover:bg-raised">
              <input
                type="checkbox"
                checked={chosen.has(e.path)}
                onChange={() => toggle(e.path)}
                className="accent-focus"
              />
              <span className="flex-1 truncate">{e.name}</span>
              <span className="figures text-quiet text-small">{bytes(e.size)}</span>
            </label>
          ),
        )}
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-3">
        <Button onClick={() => setChosen(new Set(files.map((f) => f.path)))} disabled={files.length === 0}>
          Choose all {files.length}
        </Button>
        <span className="flex-1" />
        <Button onClick={() => onOpenChange(false)}>Close</Button>
        <Button primary disabled={chosen.size === 0} onClick={take}>
          Take in {plural(chosen.size, "file")}
        </Button>
      </footer>
    </Panel>
  );
}
