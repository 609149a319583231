import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { useDecide, useTakes } from "../../api/queries";
import { useLayTakes, useReel, useReels } from "../../api/reel";
import { plural } from "../../format";
import { useMonitor } from "../../listening/engine";
import { aloneIn, hearStrand, hearsTake, useStrandKeys } from "../../listening/keys";
import { useProductionId } from "../../Shell";
import { Button, Empty, Key } from "../../ui/controls";
import { Handle } from "../../ui/Handle";
import { useRoom } from "../../ui/room";
import { useSizes } from "../../ui/sizes";
import { ReelChoice } from "../ReelChoice";
import { asked } from "./asked";
import { columns, corners } from "./cells";
import { useDetach } from "./Detached";
import { GroupPanel } from "./GroupPanel";
import { HintsPanel } from "./HintsPanel";
import { arranged, noOrder, ordered } from "./order";
import { ReadingPanel } from "./ReadingPanel";
import { ReportPanel } from "./ReportPanel";
import { Sheet } from "./Sheet";
import { TakePanel } from "./TakePanel";
import { TakesHead } from "./TakesHead";
import { TemplatePanel } from "./TemplatePanel";
import type { Range } from "./useStrip";
import { useTakeCursor } from "./useTakeCursor";
import { type TakesPanel, useTakesCommands } from "./useTakesCommands";
import { WritingPanel } from "./WritingPanel";

const noSizes: Record<"sheet", number> = { sheet: 0 };

/** The whole shoot as a sheet, a row a take; below it the strands of the one the cursor is on. */
export function TakesStage() {
  const production = useProductionId();
  const { data } = useTakes(production);
  const lay = useLayTakes(production);
  const decide = useDecide(production);
  const detach = useDetach(production);
  const { data: reel } = useReel(production);
  const { data: all } = useReels(production);
  const laid = (t: Take) => t.reels.includes(reel?.id ?? "");
  const ready = (t: Take) => t.final && asked(t).length === 0;
  const into = (all?.length ?? 0) > 1 ? (reel?.name ?? "the reel") : "the reel";
  const [query, setQuery] = useState("");
  const [group, setGroup] = useState("kind");
  const [sort, setSort] = useState("scene");
  const [tall, setTall] = useState(() => localStorage.getItem("takes.tall") === "yes");
  const body = useRef<HTMLDivElement>(null);
  const { own, resize } = useSizes("takes panel", noSizes);
  const [panel, setPanel] = useState<TakesPanel>("");
  const pointer = useRef(0); // frame under the pointer in the open take
  const onOther = useCallback(() => {
    pointer.current = 0;
  }, []);

  // Sorted anew when takes come or go and when another order is asked for; what is typed moves no row.
  const order = useRef(noOrder);
  const { lines, takes } = useMemo(() => {
    order.current = ordered(data ?? [], sort, order.current);
    return arranged(data ?? [], query, group, order.current);
  }, [data, query, sort, group]);

  const { place, from, move } = useTakeCursor(takes, onOther);
  const take = takes[place.row];
  const chosen = useMemo(() => {
    const c = corners(from, place);
    return takes.slice(c.top, c.bottom + 1);
  }, [takes, from, place]);
  // The strands that the selection covers.
  const positions = useMemo(() => {
    const c = corners(from, place);
    return (take?.strands ?? [])
      .slice(Math.max(0, c.left - columns.length), c.right - columns.length + 1)
      .map((s) => s.position);
  }, [from, place, take]);
  const proposed = useMemo(() => (data ?? []).filter((t) => !t.final).length, [data]);
  const hints = useMemo(
    () => chosen.flatMap((t) => t.suggestions.filter((s) => s.certainty !== "possible").map((s) => s.id)),
    [chosen],
  );

  const higher = useCallback(
    () =>
      setTall((was) => {
        localStorage.setItem("takes.tall", was ? "no" : "yes");
        return !was;
      }),
    [],
  );
  const empty = data?.length === 0;
  const room = useRoom(body, "clientHeight", empty);
  // The sheet has a little less than half, unless a person has said otherwise, and leaves the strands below room.
  const sheetHeight = Math.max(132, Math.min(own.sheet ?? Math.round(room * 0.47), Math.max(132, room - 160)));

  useStrandKeys(take, () => pointer.current);
  const [range, setRange] = useState<Range | null>(null);
  const openId = take?.id ?? "";
  const of = useRef(""); // the take that the range is of
  useEffect(() => {
    if (of.current !== openId) setRange(null);
    of.current = openId;
  }, [openId]);
  // The strand heard last, and the one before: they are compared.
  const last = useRef<[number, number]>([1, 1]);
  useEffect(
    () =>
      useMonitor.subscribe((m) => {
        const s = aloneIn(take, m.hearing);
        if (s && s.position !== last.current[0]) last.current = [s.position, last.current[0]];
      }),
    [take],
  );
  const onCursor = take?.strands[place.col - columns.length];
  // What goes along with the cursor steps from strand to strand, and from take to take, without stopping.
  const cursorWas = useRef("");
  useEffect(() => {
    const moved = cursorWas.current !== "" && onCursor !== undefined && cursorWas.current !== onCursor.id;
    cursorWas.current = onCursor?.id ?? "";
    const h = useMonitor.getState().hearing;
    if (!take || !moved || !h?.follows || !useMonitor.getState().latched || aloneIn(take, h)?.id === onCursor.id)
      return;
    const here = hearsTake(take, h);
    hearStrand(take, onCursor, here ? "here" : 0, { latched: true, follows: true, loop: here ? h.loop : undefined });
  }, [take, onCursor]);
  const shown = data !== undefined;
  useEffect(() => {
    if (shown) document.querySelector<HTMLElement>("[data-sheet]")?.focus({ preventScroll: true });
  }, [shown]);

  useTakesCommands({
    production,
    take,
    chosen,
    onCursor,
    hints,
    pointer,
    last,
    range,
    setRange,
    detach,
    layTakes: lay.mutate,
    reel: reel?.id ?? "",
    decideAll: decide.mutate,
    setPanel,
    higher,
  });

  const says = data
    ? `${query ? `${takes.length} of ` : ""}${plural(data.length, "take")}, ${
        chosen.length > 1
          ? `${chosen.length} chosen`
          : plural(
              data.reduce((n, t) => n + t.strands.length, 0),
              "strand",
            )
      }`
    : "";
  return (
    <>
      <TakesHead
        says={says}
        query={query}
        onQuery={setQuery}
        group={group}
        onGroup={setGroup}
        sort={sort}
        onSort={setSort}
        proposed={proposed}
        tall={tall}
        onTall={higher}
        chosen={chosen.length}
        onPanel={setPanel}
      />
      {data?.length === 0 ? (
        <Empty title="There are no takes yet">Every recording that arrives on Intake becomes one.</Empty>
      ) : (
        <div ref={body} className="flex min-h-0 flex-1 flex-col">
          <Sheet
            production={production}
            lines={lines}
            takes={takes}
            at={place}
            anchor={from}
            onMove={move}
            tall={tall}
            height={sheetHeight}
          />
          <Handle
            of="row"
            label="Height of the sheet"
            value={sheetHeight}
            min={132}
            max={Math.max(132, room - 160)}
            onChange={(v) => resize("sheet", v)}
            className="border-line border-b"
          />
          {take ? (
            <TakePanel
              key={take.id}
              take={take}
              takes={data ?? []}
              production={production}
              pointer={pointer}
              chosen={take.strands[place.col - columns.length]?.id ?? ""}
              range={range}
              onRange={setRange}
              actions={
                <>
                  {hints.length > 0 && (
                    <Button onClick={() => setPanel("hints")}>
                      Accept {plural(hints.length, "hint")} <Key>Ctrl H</Key>
                    </Button>
                  )}
                  {reel && (all?.length ?? 0) > 1 && <ReelChoice production={production} reel={reel} />}
                  <Button
                    primary={!laid(take)}
                    disabled={chosen.every((t) => laid(t) || !ready(t)) || lay.isPending}
                    onClick={() => lay.mutate({ takes: chosen.filter((t) => !laid(t) && ready(t)) })}
                  >
                    {chosen.every(laid)
                      ? `In ${into}`
                      : chosen.length > 1
                        ? `Take ${plural(chosen.length, "take")} into ${into}`
                        : `Take into ${into}`}{" "}
                    {!laid(take) && <Key>Ctrl Enter</Key>}
                  </Button>
                </>
              }
            />
          ) : (
            data && <Empty title="No take is like that">Search for something else.</Empty>
          )}
        </div>
      )}
      <ReadingPanel
        open={panel === "reading"}
        onClose={() => setPanel("")}
        production={production}
        take={take}
        positions={positions}
        chosen={chosen}
        all={data ?? []}
      />
      <HintsPanel open={panel === "hints"} onClose={() => setPanel("")} production={production} hints={hints} />
      <GroupPanel open={panel === "groups"} onClose={() => setPanel("")} production={production} takes={data ?? []} />
      <ReportPanel open={panel === "report"} onClose={() => setPanel("")} production={production} />
      <WritingPanel open={panel === "write"} onClose={() => setPanel("")} production={production} takes={chosen} />
      <TemplatePanel
        open={panel === "templates"}
        onClose={() => setPanel("")}
        production={production}
        take={take}
        chosen={chosen}
        all={data ?? []}
      />
    </>
  );
}
