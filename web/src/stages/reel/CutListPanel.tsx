import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { create } from "zustand";
import { api, must, type Production, type Reel } from "../../api/client";
import { useLayCutList } from "../../api/reel";
import { plural } from "../../format";
import { Columns, type Mapping, tableText } from "../../ui/Columns";
import { Button, TextField } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { pickFile } from "../../ui/pick";

/** The cut list that is being looked at. */
const useCutList = create<{ of: { name: string; text: string } | null; columns?: Mapping }>(() => ({ of: null }));

/** Asks for a cut list, and shows what is found for it. */
export function openCutList() {
  pickFile(".otio,.edl,.csv,.txt,.json", async (f) =>
    useCutList.setState({ of: { name: f.name, text: await tableText(f) }, columns: undefined }),
  );
}

const sinceInWords = {
  "": "",
  same: "as before",
  moved: "moved since",
  trimmed: "trimmed since",
  both: "moved and trimmed since",
  new: "new",
};

/** A cut list event by event: what is found and how, and what is not and why, before anything is laid. */
export function CutListPanel({ production: p, reel }: { production: Production; reel: Reel }) {
  const of = useCutList((s) => s.of);
  const columns = useCutList((s) => s.columns);
  const [handle, setHandle] = useState("0");
  const { mutate: lay, isPending } = useLayCutList(p.id);
  const { data, error } = useQuery({
    queryKey: ["cut list", reel.id, of?.name, of?.text, columns],
    queryFn: () =>
      must(
        api.POST("/api/reels/{reel}/cut-list", {
          params: { path: { reel: reel.id } },
          body: { text: of?.text ?? "", handle: 0, ...(columns ? { columns, keep: true } : {}) },
        }),
      ),
    placeholderData: (before) => (columns ? before : undefined),
    enabled: !!of,
    retry: false,
    gcTime: 0,
  });
  const close = () => useCutList.setState({ of: null });
  const events = data?.events ?? [];
  const found = events.filter((e) => e.takes.length > 0);
  const follows = (reel.doc.cut?.length ?? 0) > 0;
  const frames = Number(handle);
  const good = handle.trim() !== "" && Number.isInteger(frames) && frames >= 0;
  return (
    <Panel
      open={!!of}
      onOpenChange={(open) => !open && close()}
      title={`Cut list ${of?.name ?? ""}`}
      className="flex h-[80vh] w-[960px] flex-col"
    >
      <p className="px-4 pb-2 text-quiet">
        {error && <span className="text-bad">{error.message}</span>}
        {data &&
          `${data.title ? `${data.title}: ` : ""}${plural(events.length, "event")}, takes found for ${found.length}. Every strand of every take is laid tied, at the place picture has cut it to; mixes are off.`}
      </p>
      {data?.says && <p className="px-4 pb-2 text-caution">{data.says}</p>}
      {data?.table && (
        <div className="shrink-0 px-4 pb-2">
          <Columns table={data.table} chosen={columns} change={(columns) => useCutList.setState({ columns })} />
        </div>
      )}
      {data && data.left.length > 0 && (
        <ul aria-label="Not taken over" className="max-h-20 shrink-0 overflow-auto px-4 pb-2 text-caution text-small">
          {data.left.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ul>
      )}
      {data && data.gone.length > 0 && (
        <p className="max-h-16 shrink-0 overflow-auto px-4 pb-2 text-caution text-small">
          Gone since the list before, and taken away with it:{" "}
          {data.gone.map((g) => `${g.name} at ${g.timecode}`).join(", ")}
        </p>
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full border-separate border-spacing-0" aria-label="Events">
          <thead className="sticky top-0 bg-panel text-left text-quiet text-small">
            <tr>
              {["Event", "Record", "Source", "Clip, reel", "Takes", "How"].map((h) => (
                <th key={h} scope="col" className="border-line border-b px-3 py-1 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {events.map((e, i) => (
              <tr key={`${e.number} ${i}`} className={e.takes.length === 0 ? "text-caution" : ""}>
                <td className="figures border-line border-b px-3 py-1">{e.number}</td>
                <td className="figures border-line border-b px-3 py-1">{e.timecode}</td>
                <td className="figures border-line border-b px-3 py-1">{e.source}</td>
                <td className="max-w-44 truncate border-line border-b px-3 py-1" title={`${e.name} ${e.reel}`}>
                  {e.name} <span className="text-quiet">{e.reel}</span>
                </td>
                <td className="border-line border-b px-3 py-1">{e.takes.join(", ") || "none"}</td>
                <td className="border-line border-b px-3 py-1 text-small">
                  {e.says}
                  {e.short && <span className="text-caution">; the take does not hold all of it</span>}
                  {e.fade > 0 && "; fades in"}
                  {e.since && <strong className="text-ink">; {sinceInWords[e.since]}</strong>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <footer className="flex items-center gap-3 border-line border-t px-4 py-3">
        <label className="flex items-center gap-2 text-quiet">
          Handles, in frames
          <TextField
            value={handle}
            onChange={(e) => setHandle(e.target.value)}
            aria-invalid={!good}
            className="figures w-16 text-right"
          />
        </label>
        <span className="min-w-0 flex-1 text-quiet text-small">
          longer at either end, where no other event lies.{" "}
          {follows
            ? `${reel.name} follows the list as one edit: what moved takes along what was done to it.`
            : `The list is laid into ${reel.name} as one edit.`}
        </span>
        <Button
          primary
          disabled={found.length === 0 || !good || isPending}
          onClick={() =>
            of &&
            lay(
              {
                text: of.text,
                ...(columns ? { columns } : {}),
                handle: Math.round((frames * p.sample_rate * p.rate.den) / p.rate.num),
              },
              { onSuccess: close },
            )
          }
        >
          {follows ? "Follow" : "Lay"} {plural(found.length, "event")}
        </Button>
      </footer>
    </Panel>
  );
}
