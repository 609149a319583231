import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { create } from "zustand";
import { api, must, type Reel, type Schemas } from "../../api/client";
import { useBringOver, useReels } from "../../api/reel";
import { plural } from "../../format";
import { Button, Choice } from "../../ui/controls";
import { Panel } from "../../ui/Panel";

const useBringing = create<{ open: boolean }>(() => ({ open: false }));

/** Asks what is to come over from another reel. */
export const openBring = () => useBringing.setState({ open: true });

const parts = [
  ["clips", "Clips"],
  ["routes", "Routes"],
  ["levels", "Levels, and what is off"],
  ["labels", "Labels"],
] as const;

type Part = (typeof parts)[number][0];
type Row = Schemas["Brought"];

/** What comes over from another reel, track by track, before it does. */
export function BringPanel({ production, reel }: { production: string; reel: Reel }) {
  const open = useBringing((s) => s.open);
  const { data: reels } = useReels(production);
  const others = (reels ?? []).filter((r) => r.id !== reel.id);
  const [asked, setFrom] = useState("");
  const from = (others.find((r) => r.id === asked) ?? others[0])?.id;
  const [what, setWhat] = useState<Record<Part, boolean>>({ clips: true, routes: true, levels: true, labels: true });
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const body = { from: from ?? "", ...what };
  const { data, error } = useQuery({
    queryKey: ["bring", reel.id, reel.version, body],
    queryFn: () => must(api.POST("/api/reels/{reel}/bring/preview", { params: { path: { reel: reel.id } }, body })),
    enabled: open && !!from,
    retry: false,
    gcTime: 0,
  });
  const { mutate: bring, isPending } = useBringOver(production);
  const close = () => useBringing.setState({ open: false });
  const rows = data ?? [];
  const chosen = rows.filter((r) => !left.has(r.track));
  const changing = chosen.filter((r) => !r.nothing);
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && close()}
      title="Bring over from another reel"
      className="flex h-[76vh] w-[900px] max-w-[96vw] flex-col"
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 pb-3">
        <label className="flex items-center gap-2 text-quiet">
          From
          <Choice
            value={from}
            className="w-56"
            onChange={(e) => {
              setFrom(e.target.value);
              setLeft(new Set());
            }}
          >
            {others.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </Choice>
        </label>
        {parts.map(([part, says]) => (
          <label key={part} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={what[part]}
              onChange={(e) => setWhat({ ...what, [part]: e.target.checked })}
            />
            {says}
          </label>
        ))}
      </div>
      {others.length === 0 && <p className="px-4 pb-3 text-quiet">This is the only reel of the production.</p>}
      {error && <p className="px-4 pb-3 text-bad">{error.message}</p>}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full border-separate border-spacing-0" aria-label="What comes over">
          <thead className="sticky top-0 bg-panel text-left text-quiet text-small">
            <tr>
              {["Track there", "Track here", "Clips", "What else changes"].map((h) => (
                <th key={h} scope="col" className="border-line border-b px-3 py-1 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.track} className={r.nothing || left.has(r.track) ? "text-quiet" : ""}>
                <td className="max-w-48 border-line border-b px-3 py-1">
                  <label className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={!left.has(r.track)}
                      onChange={(e) => {
                        const next = new Set(left);
                        if (e.target.checked) next.delete(r.track);
                        else next.add(r.track);
                        setLeft(next);
                      }}
                    />
                    <span className="truncate" title={r.label}>
                      {r.label}
                    </span>
                  </label>
                </td>
                <td className="max-w-48 truncate border-line border-b px-3 py-1" title={r.onto}>
                  {r.made ? "a new one" : r.onto}
                </td>
                <td className="whitespace-nowrap border-line border-b px-3 py-1">{clipsIn(r)}</td>
                <td className="border-line border-b px-3 py-1 text-small">
                  {r.says.join("; ") || (r.nothing ? "nothing changes" : "")}
                  {r.lost.map((l) => (
                    <div key={l} className="text-caution">
                      {l}
                    </div>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <footer className="flex items-center gap-3 border-line border-t px-4 py-3">
        <span className="min-w-0 flex-1 text-quiet text-small">
          Tracks are the same ones in a copy of a reel, else those of the same label and width. Clips come over what
          lies there. One edit, undone as one.
        </span>
        <Button
          primary
          disabled={changing.length === 0 || isPending}
          onClick={() => bring({ ...body, tracks: chosen.map((r) => r.track) }, { onSuccess: close })}
        >
          Bring over {plural(changing.length, "track")}
        </Button>
      </footer>
    </Panel>
  );
}

/** The clips that come over to a track, in words. */
function clipsIn(r: Row): string {
  if (r.clips === 0) return "";
  const parts = [plural(r.clips, "clip")];
  if (r.changed > 0) parts.push(`${r.changed} as there, not as here`);
  if (r.over > 0) parts.push(`over ${r.over} here`);
  return parts.join(", ");
}
