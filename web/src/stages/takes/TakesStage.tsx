import { Rows2, Rows4 } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { useDecide, useTakes } from "../../api/queries";
import { useLayMasters, useLayTakes } from "../../api/reel";
import { plural } from "../../format";
import { position, setLoop, stop, useMonitor } from "../../listening/engine";
import { aloneIn, compare, hearStrand, hearsTake, hearTake, useStrandKeys } from "../../listening/keys";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Choice, Empty, Key, StageHead, TextField } from "../../ui/controls";
import { Handle } from "../../ui/Handle";
import { useRoom } from "../../ui/room";
import { useSizes } from "../../ui/sizes";
import { columns, corners, type Place } from "./cells";
import { GroupPanel } from "./GroupPanel";
import { useLoose } from "./Loose";
import { arranged, noRanks, ranked } from "./order";
import { ReadingPanel } from "./ReadingPanel";
import { ReportPanel } from "./ReportPanel";
import { Sheet } from "./Sheet";
import { TakePanel } from "./TakePanel";
import { TemplatePanel } from "./TemplatePanel";
import type { Range } from "./useStrip";
import { WritingPanel } from "./WritingPanel";

const noSizes: Record<"sheet", number> = { sheet: 0 };

/** The whole shoot as a sheet, a row a take; below it the strands of the one the cursor is on. */
export function TakesStage() {
  const production = useProductionId();
  const { data } = useTakes(production);
  const lay = useLayTakes(production);
  const decide = useDecide(production);
  const loosen = useLoose(production);
  const [query, setQuery] = useState("");
  const [group, setGroup] = useState("kind");
  const [sort, setSort] = useState("scene");
  const [tall, setTall] = useState(() => localStorage.getItem("takes.tall") === "yes");
  const body = useRef<HTMLDivElement>(null);
  const { own, resize } = useSizes("takes panel", noSizes);
  const [at, setAt] = useState<Place>({ row: 0, col: columns.length });
  const [anchor, setAnchor] = useState<Place>({ row: 0, col: columns.length });
  const [panel, setPanel] = useState<"" | "write" | "templates" | "report" | "reading" | "groups">("");
  const pointer = useRef(0); // frame under the pointer in the open take

  // Sorted anew when takes come or go and when another order is asked for; what is typed moves no row.
  const ranks = useRef(noRanks);
  const { lines, takes } = useMemo(() => {
    ranks.current = ranked(data ?? [], sort, ranks.current);
    return arranged(data ?? [], query, group, ranks.current);
  }, [data, query, sort, group]);

  // The cursor, and the other end of what is chosen, stay on their takes while rows come and go.
  const kept = useRef("");
  const keptAnchor = useRef("");
  const row = useMemo(() => {
    const now = takes.findIndex((t) => t.id === kept.current);
    return now >= 0 ? now : Math.min(at.row, Math.max(0, takes.length - 1));
  }, [takes, at.row]);
  const place = useMemo(() => ({ row, col: at.col }), [row, at.col]);
  const from = useMemo(() => {
    if (anchor.row === at.row) return { row, col: anchor.col };
    const now = takes.findIndex((t) => t.id === keptAnchor.current);
    return { row: now >= 0 ? now : row, col: anchor.col };
  }, [anchor, at.row, row, takes]);
  const move = useCallback(
    (to: Place, anchor: Place) => {
      if (kept.current !== (takes[to.row]?.id ?? "")) pointer.current = 0;
      kept.current = takes[to.row]?.id ?? "";
      keptAnchor.current = takes[anchor.row]?.id ?? "";
      setAt(to);
      setAnchor(anchor);
    },
    [takes],
  );
  const take = takes[row];
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

  const { mutate: layTakes } = lay;
  const layMasters = useLayMasters(production);
  const { mutate: decideAll } = decide;
  const list = useMemo<Command[]>(
    () => [
      {
        id: "hear",
        name: "Hear the strand the cursor is on, from the pointer; or stop",
        key: " ",
        offers: take
          ? `hear ${onCursor?.label || `strand ${onCursor?.position ?? last.current[0]}`} of ${take.name}`
          : undefined,
        run: () => {
          if (useMonitor.getState().hearing) {
            stop();
            return;
          }
          const s =
            take?.strands[place.col - columns.length] ??
            take?.strands.find((s) => s.position === last.current[0]) ??
            take?.strands[0];
          if (take && s)
            hearStrand(take, s, pointer.current, { latched: true, follows: true, loop: range ?? undefined });
        },
      },
      {
        id: "hear-take",
        name: "Hear all strands of the take together, folded down",
        key: ";",
        run: () =>
          take &&
          hearTake(
            take,
            hearsTake(take, useMonitor.getState().hearing) ? position() : pointer.current,
            range ?? undefined,
          ),
      },
      {
        id: "compare",
        name: "Compare the strand heard last with the one before, as loud as each other; again to flip",
        key: "=",
        run: () => {
          const [b, a] = last.current.map((p) => take?.strands.find((s) => s.position === p));
          if (take && a && b && a !== b) compare(take, a, b, pointer.current);
        },
      },
      {
        id: "in",
        name: "The stretch to be heard begins here",
        key: "[",
        run: () => {
          const at = hereIn(take, pointer.current);
          setRange((r) => ({ from: at, to: r && r.to > at ? r.to : (take?.frames ?? at + 1) }));
        },
      },
      {
        id: "out",
        name: "The stretch to be heard ends here",
        key: "]",
        run: () => {
          const at = Math.max(1, hereIn(take, pointer.current));
          setRange((r) => ({ from: r && r.from < at ? r.from : 0, to: at }));
        },
      },
      {
        id: "loop",
        name: "Hear the stretch over and over, or no longer",
        key: "\\",
        run: () => {
          const h = useMonitor.getState().hearing;
          if (take && hearsTake(take, h)) setLoop(h?.loop ? undefined : (range ?? { from: 0, to: take.frames }));
        },
      },
      { id: "no-range", name: "Choose no stretch", run: () => setRange(null) },
      {
        id: "loose",
        name: "Let the strand the cursor is on go from its take, or bring it home",
        run: () => onCursor && void loosen(onCursor, !onCursor.loose, 0),
      },
      {
        id: "lay",
        name: "Take the chosen takes into the reel",
        key: "mod+Enter",
        run: () => layTakes(chosen.filter((t) => !t.in_reel && t.final)),
      },
      {
        id: "masters",
        name: "Lay the chosen takes as finished masters: a new reel, laid out as they were sent",
        run: () => layMasters(chosen.filter((t) => t.final)),
      },
      { id: "write", name: "Write the chosen takes out as files", key: "mod+s", run: () => setPanel("write") },
      { id: "report", name: "Sound report: write or read", run: () => setPanel("report") },
      { id: "templates", name: "Label templates", key: "mod+l", run: () => setPanel("templates") },
      {
        id: "reading",
        name: "Say how the chosen strands are read: stereo, mid-side, surround, ambisonic",
        key: "mod+g",
        run: () => setPanel("reading"),
      },
      { id: "tall", name: "Taller rows, or lower ones", run: higher },
      { id: "groups", name: "Look at proposed groups, and accept or mend them", run: () => setPanel("groups") },
      {
        id: "hints",
        name: "Accept what is certain or likely about the chosen takes",
        key: "mod+h",
        run: () => hints.length > 0 && decideAll({ suggestions: hints, accept: true }),
      },
      {
        id: "search",
        name: "Search takes",
        key: "/",
        run: () => document.querySelector<HTMLInputElement>("[data-take-search]")?.focus(),
      },
    ],
    [take, place.col, chosen, layTakes, layMasters, decideAll, hints, range, onCursor, loosen, higher],
  );
  useCommandList("Takes", list);

  return (
    <>
      <StageHead
        title="Takes"
        says={
          data
            ? `${query ? `${takes.length} of ` : ""}${plural(data.length, "take")}, ${
                chosen.length > 1
                  ? `${chosen.length} chosen`
                  : plural(
                      data.reduce((n, t) => n + t.strands.length, 0),
                      "strand",
                    )
              }`
            : ""
        }
      >
        <TextField
          type="search"
          data-take-search
          aria-label="Search takes"
          placeholder="scene:21 circled"
          title="All of it must hold. scene: take: roll: note: day: recorder: label: stem: part: file: name a field; circled, wild, snag, proposed, suggested, unlabelled, laid name a state; a minus turns a word round"
          value={query}
          onChange={(e) => setQuery(e.target.value)}
          onKeyDown={(e) =>
            (e.key === "Enter" || e.key === "Escape") && document.querySelector<HTMLElement>("[data-sheet]")?.focus()
          }
          className="w-[160px]"
        />
        <Choice aria-label="Group takes" value={group} onChange={(e) => setGroup(e.target.value)}>
          <option value="kind">Cameras apart</option>
          <option value="none">No groups</option>
          <option value="scene">By scene</option>
          <option value="day">By day</option>
          <option value="recorder">By recorder</option>
        </Choice>
        <Choice aria-label="Sort takes" value={sort} onChange={(e) => setSort(e.target.value)}>
          <option value="scene">Scene and take</option>
          <option value="start">By start</option>
          <option value="longest">Longest first</option>
          <option value="snags">Snags first</option>
        </Choice>
        {proposed > 0 && (
          <Button onClick={() => setPanel("groups")} className="text-caution">
            {plural(proposed, "group")} proposed…
          </Button>
        )}
        <Button
          onClick={() => higher()}
          aria-pressed={tall}
          aria-label="Taller rows"
          title="Taller rows, or lower ones"
          className="!px-1.5"
        >
          {tall ? <Rows4 size={16} /> : <Rows2 size={16} />}
        </Button>
        <Button onClick={() => setPanel("report")}>Report…</Button>
        <Button onClick={() => setPanel("templates")}>Templates…</Button>
        <Button onClick={() => setPanel("write")} disabled={chosen.length === 0} className="w-[104px] justify-center">
          Write out {chosen.length > 1 ? chosen.length : "…"}
        </Button>
      </StageHead>
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
                    <Button onClick={() => decide.mutate({ suggestions: hints, accept: true })}>
                      Accept {plural(hints.length, "hint")} <Key>Ctrl H</Key>
                    </Button>
                  )}
                  <Button
                    primary={!take.in_reel}
                    disabled={chosen.every((t) => t.in_reel || !t.final) || lay.isPending}
                    onClick={() => lay.mutate(chosen.filter((t) => !t.in_reel && t.final))}
                  >
                    {chosen.every((t) => t.in_reel)
                      ? "In the reel"
                      : chosen.length > 1
                        ? `Take ${plural(chosen.length, "take")} into the reel`
                        : "Take into the reel"}{" "}
                    {!take.in_reel && <Key>Ctrl Enter</Key>}
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

/** Where one is in a take: where it sounds, else where the pointer is. */
function hereIn(take: Take | undefined, pointer: number): number {
  const h = useMonitor.getState().hearing;
  return Math.round(take && hearsTake(take, h) ? position() : pointer);
}
