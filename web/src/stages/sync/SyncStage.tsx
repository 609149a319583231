import { useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, must, type SyncPair } from "../../api/client";
import { keys, useProduction, useSyncs, useTakes } from "../../api/queries";
import { plural } from "../../format";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Empty, Key, StageHead } from "../../ui/controls";
import { failing, note } from "../../ui/notes";
import { PairView } from "./PairView";
import { allMoved } from "./useNudge";
import { inWords, namesOf } from "./view";

/** The states of a pair in words, and how they look. */
export const states: Record<SyncPair["state"], { says: string; look: string }> = {
  proposed: { says: "waiting", look: "text-quiet" },
  aligning: { says: "listening", look: "text-quiet" },
  aligned: { says: "aligned", look: "text-focus" },
  doubtful: { says: "doubtful", look: "text-caution" },
  none: { says: "no match", look: "text-quiet" },
  failed: { says: "failed", look: "text-bad" },
  accepted: { says: "accepted", look: "text-good" },
  refused: { says: "refused", look: "text-quiet" },
};

const order: SyncPair["state"][] = [
  "doubtful",
  "failed",
  "aligned",
  "aligning",
  "proposed",
  "accepted",
  "refused",
  "none",
];

const rowHeight = 52;

/** Cameras and other recorders lined up with takes: what fits where, how sure that is, and the two of them to look at. */
export function SyncStage() {
  const production = useProductionId();
  const client = useQueryClient();
  const { data } = useSyncs(production);
  const { data: takes } = useTakes(production);
  const { data: p } = useProduction(production);
  const [picked, setPicked] = useState("");
  const list = useRef<HTMLDivElement>(null);
  // What needs a person comes first; within that the order they were proposed in.
  const pairs = useMemo(
    () => [...(data ?? [])].sort((a, b) => order.indexOf(a.state) - order.indexOf(b.state)),
    [data],
  );
  const at = Math.max(
    0,
    pairs.findIndex((p) => p.id === picked),
  );
  const pair = pairs[at];
  const virtual = useVirtualizer({
    count: pairs.length,
    getScrollElement: () => list.current,
    estimateSize: () => rowHeight,
    overscan: 12,
    initialRect: { width: 380, height: 640 },
  });
  useEffect(() => {
    virtual.scrollToIndex(at, { align: "auto" });
  }, [virtual, at]);
  const shown = data !== undefined;
  useEffect(() => {
    if (shown) list.current?.focus({ preventScroll: true });
  }, [shown]);
  const refresh = () => client.invalidateQueries({ queryKey: keys.production(production) });
  const propose = () =>
    must(api.POST("/api/productions/{production}/syncs", { params: { path: { production } } })).then((got) => {
      note(got.added === 0 ? "No further pairs were found." : `${plural(got.added, "new pair")}, being listened to.`);
      return refresh();
    }, failing("Pairs"));
  const decide = async (accept: boolean, by: "sound" | "timecode" = "sound") => {
    if (!pair) return;
    setPicked(pair.id);
    await allMoved();
    const seen = client.getQueryData<SyncPair[]>(keys.syncs(production))?.find((p) => p.id === pair.id) ?? pair;
    const body = { accept, by, nudge: seen.nudge };
    await must(api.POST("/api/syncs/{sync}/decide", { params: { path: { sync: pair.id } }, body })).then((got) => {
      if (got.along > 0)
        note(`${plural(got.along, "further pair")} of ${pair.take.name} say the same and are accepted with it.`);
    }, failing("Pairs"));
    await refresh();
  };
  const clock = (off: boolean) =>
    pair &&
    must(api.PUT("/api/syncs/{sync}/clock", { params: { path: { sync: pair.id } }, body: { off } })).then(() => {
      note(
        off
          ? `Found pairs go by the clock set right from now on: P finds those of ${pair.take.day || "that day"}.`
          : "The clock counts as right again.",
      );
      return refresh();
    }, failing("Pairs"));
  const again = () =>
    pair &&
    must(api.POST("/api/syncs/{sync}/again", { params: { path: { sync: pair.id } } })).then(refresh, failing("Pairs"));
  const step = (by: number) => {
    const next = pairs[Math.max(0, Math.min(pairs.length - 1, at + by))];
    if (next) setPicked(next.id);
  };
  const latest = useRef({ propose, decide, again, step, clock });
  latest.current = { propose, decide, again, step, clock };
  const commands = useMemo<Command[]>(
    () => [
      { id: "propose", name: "Find what is to be lined up", key: "p", run: () => void latest.current.propose() },
      {
        id: "accept",
        name: "Accept the alignment: the take moves to where it belongs",
        key: "Enter",
        run: () => void latest.current.decide(true),
      },
      {
        id: "timecode",
        name: "Accept by timecode, whatever is heard",
        key: "t",
        run: () => void latest.current.decide(true, "timecode"),
      },
      {
        id: "clock",
        name: "Set the camera's clock right for the day by this pair",
        key: "k",
        run: () => void latest.current.clock(true),
      },
      { id: "refuse", name: "Refuse the pair", key: "Delete", run: () => void latest.current.decide(false) },
      { id: "again", name: "Compare the pair once more", key: "r", run: () => void latest.current.again() },
      { id: "next", name: "Next pair", key: "ArrowDown", run: () => latest.current.step(1) },
      { id: "before", name: "Pair before", key: "ArrowUp", run: () => latest.current.step(-1) },
    ],
    [],
  );
  useCommandList("Sync", commands);
  const open = pairs.filter((p) => p.state === "aligned" || p.state === "doubtful").length;
  return (
    <>
      <StageHead title="Sync" says={data ? `${plural(data.length, "pair")}, ${open} to be decided` : ""}>
        <Button primary={data?.length === 0} onClick={propose}>
          Find pairs <Key>P</Key>
        </Button>
      </StageHead>
      {data?.length === 0 ? (
        <Empty title="Nothing is being lined up">
          <p>
            Cameras and second recorders are compared with the takes they overlap by timecode; a camera whose clock was
            off with all takes of its day.
          </p>
        </Empty>
      ) : (
        <div className="flex min-h-0 flex-1">
          <div
            ref={list}
            role="listbox"
            aria-label="Pairs"
            tabIndex={0}
            aria-activedescendant={pair ? `pair-${pair.id}` : undefined}
            className="w-[380px] shrink-0 overflow-auto border-line border-r -outline-offset-2"
          >
            <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
              {virtual.getVirtualItems().map((v) => {
                const p = pairs[v.index];
                if (!p) return null;
                return (
                  // biome-ignore lint/a11y/useKeyWithClickEvents: the list has the arrows
                  <div
                    key={p.id}
                    id={`pair-${p.id}`}
                    role="option"
                    tabIndex={-1}
                    aria-selected={p.id === pair?.id}
                    aria-setsize={pairs.length}
                    aria-posinset={v.index + 1}
                    onClick={() => setPicked(p.id)}
                    className={`absolute inset-x-0 cursor-pointer border-line/50 border-b px-4 py-2 ${p.id === pair?.id ? "bg-raised" : ""}`}
                    style={{ top: v.start, height: rowHeight }}
                  >
                    <div className="flex items-baseline gap-2">
                      <span className="min-w-0 truncate">{namesOf(p).take}</span>
                      <span className="shrink-0 text-quiet text-small">with</span>
                      <span className="min-w-0 flex-1 truncate">{namesOf(p).ref}</span>
                      <span className={`shrink-0 text-small ${states[p.state].look}`}>{states[p.state].says}</span>
                    </div>
                    <p className="truncate text-quiet text-small">{summary(p)}</p>
                  </div>
                );
              })}
            </div>
          </div>
          {pair && p && (
            <PairView
              key={pair.id}
              pair={pair}
              pairs={pairs}
              takes={takes ?? []}
              production={p}
              onClock={clock}
              actions={
                <>
                  {(pair.state === "none" ||
                    pair.state === "failed" ||
                    pair.state === "doubtful" ||
                    pair.state === "refused") && (
                    <Button onClick={again}>
                      Again <Key>R</Key>
                    </Button>
                  )}
                  {pair.timecode_seconds !== null && pair.state !== "accepted" && (
                    <Button
                      title={`By timecode it begins ${inWords(pair.timecode_seconds)} after ${pair.ref.name}`}
                      onClick={() => decide(true, "timecode")}
                    >
                      By timecode <Key>T</Key>
                    </Button>
                  )}
                  {pair.state !== "accepted" && pair.state !== "refused" && (
                    <Button onClick={() => decide(false)}>
                      Refuse <Key>Del</Key>
                    </Button>
                  )}
                  {(pair.state === "aligned" || pair.state === "doubtful") && (
                    <Button primary onClick={() => decide(true)}>
                      Accept <Key>Enter</Key>
                    </Button>
                  )}
                </>
              }
            />
          )}
        </div>
      )}
    </>
  );
}

/** A pair in a line: what its clock was off by, or why it is a pair. */
function summary(p: SyncPair): string {
  if (p.state === "failed") return p.error;
  if (p.state === "none") return p.reason;
  if (p.state === "proposed" || p.state === "aligning") return p.why;
  const off = p.shift_seconds;
  return [
    off === null
      ? ""
      : Math.abs(off) < 0.0005
        ? "its clock was right"
        : `its clock was off by ${inWords(Math.abs(off))}`,
    p.polarity < 0 && "polarity inverted",
    p.reason,
  ]
    .filter(Boolean)
    .join("; ");
}
