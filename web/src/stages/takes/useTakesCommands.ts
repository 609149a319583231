import { type RefObject, useMemo } from "react";
import type { Strand, Take } from "../../api/client";
import { useLayMasters } from "../../api/reel";
import { position, setLoop, stop, useMonitor } from "../../listening/engine";
import { compare, hearAnswer, hearStrand, hearsTake, hearTake } from "../../listening/keys";
import { type Command, useCommandList } from "../../ui/commands";
import { note, wrong } from "../../ui/notes";
import { asked } from "./asked";
import type { Range } from "./useStrip";

/** What opens beside the sheet. */
export type TakesPanel = "" | "write" | "templates" | "report" | "reading" | "groups" | "hints";

type Props = {
  production: string;
  /** The take, and the strand, that the cursor is on. */
  take: Take | undefined;
  onCursor: Strand | undefined;
  chosen: Take[];
  /** Suggestions about what is chosen that are certain or likely. */
  hints: string[];
  /** The frame under the pointer in the open take. */
  pointer: RefObject<number>;
  /** Positions of the strand heard last, and the one before. */
  last: RefObject<[number, number]>;
  range: Range | null;
  setRange: (to: Range | null | ((was: Range | null) => Range | null)) => void;
  detach: (s: Strand, detached: boolean, shift: number) => unknown;
  layTakes: (v: { takes: Take[]; again?: boolean }) => void;
  /** The reel that takes are laid into. */
  reel: string;
  decideAll: (v: { suggestions: string[]; accept: boolean }) => void;
  setPanel: (panel: TakesPanel) => void;
  higher: () => void;
};

/** What can be done in the Takes stage, by key and in the palette. */
export function useTakesCommands({
  production,
  take,
  onCursor,
  chosen,
  hints,
  pointer,
  last,
  range,
  setRange,
  detach,
  layTakes,
  reel,
  decideAll,
  setPanel,
  higher,
}: Props) {
  const layMasters = useLayMasters(production);
  const question = take && asked(take)[0];
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
          const s = onCursor ?? take?.strands.find((s) => s.position === last.current[0]) ?? take?.strands[0];
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
        id: "detached",
        name: "Let the strand the cursor is on go from its take, or bring it home",
        run: () => onCursor && void detach(onCursor, !onCursor.detached, 0),
      },
      {
        id: "lay",
        name: "Take the chosen takes into the reel",
        key: "mod+Enter",
        run: () => {
          const takes = settled(chosen);
          const now = takes.filter((t) => !t.reels.includes(reel));
          if (now.length > 0) layTakes({ takes: now });
          else if (takes.length > 0)
            note(
              `${takes.length === 1 ? takes[0]?.name : "All of them"}: in this reel already. "Lay once more" in the palette lays them again.`,
            );
        },
      },
      {
        id: "lay-again",
        name: "Lay the chosen takes once more into this reel, on tracks that have room",
        run: () => {
          const takes = settled(chosen);
          if (takes.length > 0) layTakes({ takes, again: true });
        },
      },
      {
        id: "hear-together",
        name: "Hear what is asked about as what belongs together: left and right, or folded down",
        key: ",",
        run: () => question && take && hearAnswer(take, question.positions, true, pointer.current),
      },
      {
        id: "hear-apart",
        name: "Hear what is asked about as channels by themselves, all in the middle",
        key: ".",
        run: () => question && take && hearAnswer(take, question.positions, false, pointer.current),
      },
      {
        id: "together",
        name: "Say that the channels that are asked about belong together",
        key: "mod+,",
        run: () => question && decideAll({ suggestions: [question.id], accept: true }),
      },
      {
        id: "apart",
        name: "Say that the channels that are asked about stand each by itself",
        key: "mod+.",
        run: () => question && decideAll({ suggestions: [question.id], accept: false }),
      },
      {
        id: "masters",
        name: "Lay the chosen takes as finished masters: a new reel, laid out as they were sent",
        run: () => {
          const takes = settled(chosen);
          if (takes.length > 0) layMasters(takes);
        },
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
        run: () => (hints.length > 0 ? setPanel("hints") : note("Nothing is suggested about what is chosen.")),
      },
      {
        id: "search",
        name: "Search takes",
        key: "/",
        run: () => document.querySelector<HTMLInputElement>("[data-take-search]")?.focus(),
      },
    ],
    [
      take,
      chosen,
      layTakes,
      reel,
      question,
      layMasters,
      decideAll,
      hints,
      range,
      setRange,
      onCursor,
      detach,
      higher,
      setPanel,
      pointer,
      last,
    ],
  );
  useCommandList("Takes", list);
}

/** Where one is in a take: where it sounds, else where the pointer is. */
function hereIn(take: Take | undefined, pointer: number): number {
  const h = useMonitor.getState().hearing;
  return Math.round(take && hearsTake(take, h) ? position() : pointer);
}

/** Those of the chosen takes that can be laid: what is but proposed is said, and is accepted first. */
function settled(chosen: Take[]): Take[] {
  const some = (ts: Take[]) =>
    `${ts
      .slice(0, 3)
      .map((t) => t.name)
      .join(", ")}${ts.length > 3 ? ` and ${ts.length - 3} more` : ""}`;
  const proposed = chosen.filter((t) => !t.final);
  const undecided = chosen.filter((t) => t.final && asked(t).length > 0);
  if (proposed.length > 0)
    wrong("Laying takes", `${some(proposed)}: proposed, and not laid. Look at the group and accept it first.`);
  if (undecided.length > 0)
    wrong(
      "Laying takes",
      `${some(undecided)}: not laid. It is not certain what the channels are: hear both answers, and say it below the sheet.`,
    );
  return chosen.filter((t) => t.final && asked(t).length === 0);
}
