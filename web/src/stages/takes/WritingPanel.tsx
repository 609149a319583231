import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Download, RotateCcw } from "lucide-react";
import { useState } from "react";
import { api, must, type Schemas, type Take } from "../../api/client";
import { useOrderStep } from "../../api/delivery";
import { useProgress } from "../../api/events";
import { keys, useWritings } from "../../api/queries";
import { bytes, plural } from "../../format";
import { Button, Choice, Progress, TextField } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { VirtualList } from "../../ui/VirtualList";
import { seals } from "../delivery/seals";
import { SnagLine } from "../intake/FileCardView";

type Packing = Schemas["WritingOrder"]["packing"];

/** Writings that one archive is asked for: as many as an address holds. */
const mostInOne = 150;

/** Writes takes out as files, each take a job of its own, and shows what became of them. */
export function WritingPanel({
  open,
  onClose,
  production,
  takes,
}: {
  open: boolean;
  onClose: () => void;
  production: string;
  takes: Take[];
}) {
  const client = useQueryClient();
  const [packing, setPacking] = useState<Packing>("poly");
  const [pattern, setPattern] = useState("{roll}_{name}_{channel}_{label}");
  const { data: list } = useWritings(production);
  const [all, setAll] = useState(false);
  const ids = takes.map((t) => t.id);
  // What a plan hangs on: labels and names as they are now, what is off, how strands are read together.
  const now = takes.map((t) => [t.name, t.roll, t.readings, t.strands.map((s) => [s.label, s.off, s.position])]);
  const order = (preview: boolean) =>
    must(
      api.POST("/api/productions/{production}/writings", {
        params: { path: { production } },
        body: { takes: ids, packing, pattern, preview, all },
      }),
    );
  const plan = useQuery({
    queryKey: [...keys.writings(production), "plan", ids, packing, pattern, all, now],
    queryFn: () => order(true),
    enabled: open && ids.length > 0,
    retry: false,
    gcTime: 0,
  });
  const left = plan.data?.flatMap((w) => w.left.map((s) => `${w.take}, ${s}`)) ?? [];
  const proven = (list ?? []).filter((w) => w.state === "proven" && w.files.length > 0).slice(0, mostInOne);
  const archive = new URLSearchParams(proven.map((w) => ["writing", w.id]));
  const names = plan.data?.flatMap((w) => w.files.map((f) => ({ take: w.take, ...f }))) ?? [];
  const write = () =>
    order(false).then(() => client.invalidateQueries({ queryKey: keys.writings(production) }), failing("Writing out"));
  const step = useOrderStep(production);
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title={`Write out ${plural(takes.length, "take")}`}
      className="flex w-[880px] flex-col"
    >
      <div className="flex items-center gap-2 px-4 pb-2">
        <Choice aria-label="Files of a take" value={packing} onChange={(e) => setPacking(e.target.value as Packing)}>
          <option value="poly">One multichannel file a take</option>
          <option value="mono">A mono file a strand</option>
          <option value="pairs">Stereo pairs together, the rest mono</option>
        </Choice>
        <TextField
          aria-label="Name pattern"
          title="Fields: {scene} {take} {roll} {name} {channel} {label} {production}. What is empty takes its separator along"
          value={pattern}
          onChange={(e) => setPattern(e.target.value)}
          className="figures flex-1"
        />
        <Button primary disabled={plan.isError || names.length === 0} onClick={write}>
          Write {plural(names.length, "file")}
        </Button>
      </div>
      <p className="flex items-center gap-3 px-4 pb-2">
        <span className="min-w-0 flex-1 truncate text-quiet" title={left.join("\n")}>
          {plan.isPending && "Looking what would be written…"}
          {left.length > 0 && `Left out: ${plural(left.length, "strand")}, ${left.slice(0, 3).join("; ")}`}
          {left.length > 3 && ", and more"}
        </span>
        <label className="flex shrink-0 items-center gap-1.5">
          <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} />
          strands that are empty or off, too
        </label>
      </p>
      {plan.isError && (
        <div className="px-4">
          <SnagLine
            bad
            snag={{ code: "plan", message: plan.error instanceof Error ? plan.error.message : String(plan.error) }}
          />
        </div>
      )}
      <VirtualList
        items={names}
        keyOf={(f) => f.name}
        rowHeight={20}
        label="Files that would be written"
        className="figures h-40 px-4 text-quiet text-small"
      >
        {(f) => (
          <span className="flex gap-3">
            <span className="shrink-0 whitespace-nowrap text-ink">{f.name}</span>
            <span className="truncate">{f.channels.map((c) => c || "no label").join(", ")}</span>
          </span>
        )}
      </VirtualList>
      <h3 className="mt-2 flex items-center gap-3 border-line border-t px-4 pt-3 pb-1 text-quiet">
        <span className="flex-1">Written</span>
        {proven.length > 0 && (
          <a
            href={`/api/productions/${production}/writings/all.zip?${archive}`}
            download
            className="flex h-6 items-center gap-1 text-focus hover:underline"
          >
            <Download size={12} aria-hidden="true" /> All files of {plural(proven.length, "take")} in one archive
          </a>
        )}
      </h3>
      <ul aria-label="Written takes" className="min-h-0 flex-1 overflow-auto px-4 pb-4">
        {list?.length === 0 && (
          <li className="text-quiet">
            Nothing yet. Every file is read back and compared, sample by sample, before it is given out.
          </li>
        )}
        {list?.slice(0, 200).map((w) => (
          <Written key={w.id} writing={w} onRetry={() => step.mutate({ id: w.id, step: "retry" })} />
        ))}
      </ul>
    </Panel>
  );
}

function Written({ writing: w, onRetry }: { writing: Schemas["Writing"]; onRetry: () => void }) {
  const progress = useProgress((s) => s[w.id]);
  const busy = w.steps.includes("hold"); // it waits, or is being made
  return (
    <li className="border-line/50 border-b py-1.5">
      <div className="flex items-center gap-2">
        <span className="ticket bg-raised px-2">{w.take}</span>
        <span className={seals[w.state].tone}>{seals[w.state].says}</span>
        {busy && (
          <span className="flex-1">
            <Progress label={`Writing ${w.take}`} done={progress?.done ?? 0} total={progress?.total ?? 1} say="" />
          </span>
        )}
        {w.steps.includes("retry") && (
          <Button onClick={onRetry}>
            <RotateCcw size={14} aria-hidden="true" /> Again
          </Button>
        )}
      </div>
      {w.state === "failed" && <SnagLine bad snag={w.error} />}
      {w.files.slice(0, 24).map((f, i) => (
        <p key={f.name} className="figures flex items-center gap-2 text-small">
          {w.state === "proven" ? (
            <a
              href={`/api/writings/${w.id}/files/${i}`}
              download={f.name}
              className="flex h-6 items-center gap-1 text-focus hover:underline"
            >
              <Download size={12} aria-hidden="true" /> {f.name}
            </a>
          ) : (
            <span>{f.name}</span>
          )}
          {f.proof && (
            <span className="truncate text-quiet">
              {bytes(f.bytes)}; {f.proof}
            </span>
          )}
        </p>
      ))}
    </li>
  );
}
