import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, must, type Take } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { plural } from "../../format";
import { Button, Choice } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { alike, type Reading, readAs } from "./readings";

type Props = {
  open: boolean;
  onClose: () => void;
  production: string;
  take: Take | undefined;
  /** Positions of the strands that are chosen in the sheet. */
  positions: number[];
  chosen: Take[];
  all: Take[];
};

/** Says how strands that belong together are read, in one take or in all that are alike. */
export function ReadingPanel({ open, onClose, production, take, positions, chosen, all }: Props) {
  const { mutate: edit } = useEditSheet(production);
  const [ticked, setTicked] = useState<number[]>([]);
  const [reach, setReach] = useState<"chosen" | "alike">("chosen");
  const [way, setWay] = useState(0);
  const first = positions.join();
  useEffect(() => {
    if (open) setTicked(first === "" ? [] : first.split(",").map(Number));
  }, [open, first]);
  const { data: ways } = useQuery({
    queryKey: ["readings", ticked.length],
    queryFn: () => must(api.GET("/api/readings", { params: { query: { strands: ticked.length } } })),
    enabled: open && ticked.length > 1,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!take) return null;
  const offered = ticked.length > 1 ? (ways ?? []) : [];
  const picked: Reading | null = offered[Math.min(way, offered.length - 1)] ?? null;
  const reached = reach === "chosen" ? chosen : all.filter((t) => alike(t, take));
  const apply = (as: Reading | null) => {
    const cells = readAs(reached, as, ticked);
    if (cells.length > 0) {
      const list = `strands ${ticked.join(", ")}`;
      edit({ what: as ? `read ${list} as a ${as.name}` : `read ${list} each by itself`, cells });
    }
    setTicked([]);
  };
  const toggle = (p: number) =>
    setTicked((t) => (t.includes(p) ? t.filter((o) => o !== p) : [...t, p].sort((a, b) => a - b)));
  const kept = reached.filter((t) => !ticked.every((p) => t.strands.some((s) => s.position === p))).length;
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title={`How the strands of ${take.name} are read`}
      className="flex w-[640px] flex-col"
    >
      <ul aria-label="Strands" className="grid max-h-72 grid-cols-2 gap-x-4 overflow-auto px-4 pb-3">
        {take.strands.map((s) => {
          const r = take.readings.find((r) => r.positions.includes(s.position));
          return (
            <li key={s.id}>
              <label className="flex h-7 items-center gap-2 hover:bg-raised">
                <input type="checkbox" checked={ticked.includes(s.position)} onChange={() => toggle(s.position)} />
                <span className="figures w-5 text-right text-quiet">{s.position}</span>
                <span className={`min-w-0 flex-1 truncate ${s.label ? "" : "text-quiet"}`}>
                  {s.label || "no label"}
                </span>
                {r && (
                  <span className="truncate text-quiet text-small">
                    {r.kind === "surround" ? r.order[r.positions.indexOf(s.position)] : (r.name ?? "").split(",")[0]}
                  </span>
                )}
              </label>
            </li>
          );
        })}
      </ul>
      <div className="flex flex-wrap items-center gap-2 border-line border-t p-4">
        <Choice aria-label="In which takes" value={reach} onChange={(e) => setReach(e.target.value as typeof reach)}>
          <option value="chosen">{plural(chosen.length, "chosen take")}</option>
          <option value="alike">
            all {all.filter((t) => alike(t, take)).length} of{" "}
            {take.recorder ? `recorder ${take.recorder}` : "no named recorder"} with{" "}
            {plural(take.strands.length, "strand")}
          </option>
        </Choice>
        <span className="text-quiet">
          {ticked.length < 2
            ? "Tick the strands that belong together."
            : offered.length === 0
              ? `${ticked.length} strands form no layout that is known.`
              : kept > 0
                ? `${plural(kept, "take")} without these strands ${kept === 1 ? "is" : "are"} left alone.`
                : ""}
        </span>
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-4">
        <Button disabled={ticked.length === 0} onClick={() => apply(null)}>
          Each by itself
        </Button>
        <span className="flex-1" />
        {offered.length > 0 && (
          <>
            <Choice
              aria-label="Read as"
              value={Math.min(way, offered.length - 1)}
              onChange={(e) => setWay(Number(e.target.value))}
            >
              {offered.map((w, i) => (
                <option key={w.name} value={i}>
                  {w.name}
                </option>
              ))}
            </Choice>
            <Button primary onClick={() => apply(picked)}>
              Read strands {ticked.join(", ")} so
            </Button>
          </>
        )}
        <Button onClick={onClose}>Close</Button>
      </footer>
    </Panel>
  );
}
