import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { useLayTakes, useTakes } from "../../api/queries";
import { duration, plural } from "../../format";
import { stop, useMonitor } from "../../listening/engine";
import { hearStrand, useStrandKeys } from "../../listening/keys";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Empty, Key, StageHead, TextField } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { TakePanel } from "./TakePanel";

/** What a search must find all of: scene, take, roll, labels and flags. */
function matches(t: Take, words: string[]): boolean {
  const text = [
    t.name,
    t.scene,
    t.take,
    t.roll,
    t.note,
    t.circled ? "circled" : "",
    t.no_good ? "no good" : "",
    ...t.strands.map((s) => s.label),
  ]
    .join(" ")
    .toLowerCase();
  return words.every((w) => text.includes(w));
}

/** The whole shoot as a sheet, a row a take; below it the strands of the chosen one. */
export function TakesStage() {
  const production = useProductionId();
  const { data } = useTakes(production);
  const lay = useLayTakes(production);
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState("");
  const pointer = useRef(0); // frame under the pointer in the open take
  const takes = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    return (data ?? [])
      .filter((t) => matches(t, words))
      .sort(
        (a, b) =>
          (a.start ?? Number.MAX_SAFE_INTEGER) - (b.start ?? Number.MAX_SAFE_INTEGER) || a.name.localeCompare(b.name),
      );
  }, [data, search]);
  const index = Math.max(
    0,
    takes.findIndex((t) => t.id === chosen),
  );
  const take = takes[index];
  useStrandKeys(take, () => pointer.current);
  const last = useRef(1); // position of the strand heard last
  useEffect(
    () =>
      useMonitor.subscribe((m) => {
        const s = take?.strands.find((s) => s.id === m.hearing?.strand);
        if (s) last.current = s.position;
      }),
    [take],
  );

  const choose = useCallback((t: Take | undefined) => {
    if (!t) return;
    setChosen(t.id);
    pointer.current = 0;
  }, []);
  const { mutate: layTakes } = lay;
  const list = useMemo<Command[]>(
    () => [
      { id: "next", name: "Next take", key: "ArrowDown", run: () => choose(takes[index + 1]) },
      { id: "before", name: "Take before", key: "ArrowUp", run: () => choose(takes[index - 1]) },
      {
        id: "label",
        name: "Type labels of this take",
        key: "Enter",
        run: () => document.querySelector<HTMLInputElement>("[data-label-field]")?.focus(),
      },
      {
        id: "hear",
        name: "Hear the strand heard last, or the first, from the pointer; or stop",
        key: " ",
        run: () => {
          if (useMonitor.getState().hearing) {
            stop();
            return;
          }
          const s = take?.strands.find((s) => s.position === last.current) ?? take?.strands[0];
          if (take && s) hearStrand(take, s, pointer.current, true);
        },
      },
      { id: "lay", name: "Take this take into the reel", key: "r", run: () => take && layTakes([take]) },
    ],
    [choose, takes, index, take, layTakes],
  );
  useCommandList("Takes", list);

  return (
    <>
      <StageHead
        title="Takes"
        says={
          data
            ? `${plural(data.length, "take")}, ${plural(
                data.reduce((n, t) => n + t.strands.length, 0),
                "strand",
              )}`
            : ""
        }
      >
        <TextField
          type="search"
          aria-label="Search takes"
          placeholder="Scene, take, label…"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          className="w-56"
        />
      </StageHead>
      {data?.length === 0 ? (
        <Empty title="There are no takes yet">Every recording that arrives on Intake becomes one.</Empty>
      ) : (
        <>
          <Sheet takes={takes} chosen={index} onChoose={choose} />
          {take ? (
            <TakePanel
              key={take.id}
              take={take}
              production={production}
              pointer={pointer}
              actions={
                <Button
                  primary={!take.in_reel}
                  disabled={take.in_reel || lay.isPending}
                  onClick={() => lay.mutate([take])}
                >
                  {take.in_reel ? "In the reel" : "Take into the reel"} {!take.in_reel && <Key>R</Key>}
                </Button>
              }
            />
          ) : (
            data && <Empty title="No take is like that">Search for something else.</Empty>
          )}
        </>
      )}
    </>
  );
}

const columns = "grid grid-cols-[150px_96px_64px_70px_90px_minmax(0,1fr)] items-center gap-2 px-4";

function Sheet({ takes, chosen, onChoose }: { takes: Take[]; chosen: number; onChoose: (t: Take) => void }) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: takes.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 36,
    overscan: 8,
  });
  useEffect(() => {
    if (takes.length > 0) virtual.scrollToIndex(chosen);
  }, [virtual, chosen, takes.length]);
  return (
    <div className="flex h-[44%] min-h-40 shrink-0 flex-col">
      <div
        className={`${columns} h-7 shrink-0 border-line border-b border-l-4 border-l-transparent text-quiet text-small`}
        aria-hidden="true"
      >
        <span>Take</span>
        <span>Start</span>
        <span className="text-right">Length</span>
        <span>Roll</span>
        <span>State</span>
        <span>Strands</span>
      </div>
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto">
        <div role="listbox" aria-label="Takes" className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const t = takes[v.index];
            if (!t) return null;
            const on = v.index === chosen;
            return (
              <div
                key={t.id}
                role="option"
                aria-selected={on}
                aria-label={`Take ${t.name}`}
                tabIndex={on ? 0 : -1}
                onClick={() => onChoose(t)}
                onKeyDown={() => undefined}
                className={`${columns} absolute top-0 h-9 w-full cursor-pointer border-l-4 -outline-offset-2 ${on ? "border-focus bg-raised" : "border-transparent hover:bg-panel"}`}
                style={{ transform: `translateY(${v.start}px)` }}
              >
                <span className="truncate font-semibold" title={t.name}>
                  {t.circled && (
                    <span
                      role="img"
                      aria-label="circled"
                      className="mr-1 inline-block h-2.5 w-2.5 rounded-full border-2 border-good"
                    />
                  )}
                  {t.name}
                </span>
                <span className="figures text-quiet">{t.start_timecode || "none"}</span>
                <span className="figures text-right text-quiet">{duration(t.frames, t.sample_rate)}</span>
                <span className="truncate text-quiet">{t.roll}</span>
                <State take={t} />
                <Cells take={t} />
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function State({ take: t }: { take: Take }) {
  if (t.snags.length > 0) {
    return (
      <span className="truncate text-caution" title={t.snags.map((s) => s.message).join("; ")}>
        {plural(t.snags.length, "snag")}
      </span>
    );
  }
  const words = [t.in_reel && "in reel", t.no_good && "no good", t.wild_track && "wild"].filter(Boolean);
  return <span className="truncate text-quiet">{words.join(", ")}</span>;
}

/** Strands as labelled cells with tiny waveforms. */
function Cells({ take }: { take: Take }) {
  const most = 10;
  const rest = take.strands.length - most;
  return (
    <span className="flex min-w-0 gap-1 overflow-hidden">
      {take.strands.slice(0, most).map((s) => (
        <span
          key={s.id}
          className="relative h-7 min-w-0 max-w-28 flex-1 bg-panel"
          title={`${s.position} ${s.label || "no label"}`}
        >
          <Waveform
            strand={s.id}
            from={0}
            to={take.frames}
            colour={s.mix ? "var(--line)" : "color-mix(in srgb, var(--quiet) 55%, var(--panel))"}
            className="absolute inset-0"
            zoom={2}
          />
          <span
            className={`absolute inset-x-1 inset-y-0 truncate leading-7 text-small ${s.label ? "" : s.silent ? "text-quiet" : "text-caution"}`}
          >
            {s.label || (s.silent ? "empty" : "no label")}
          </span>
        </span>
      ))}
      {rest > 0 && <span className="text-quiet text-small">+{rest}</span>}
    </span>
  );
}
