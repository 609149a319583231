import { type RefObject, useEffect, useMemo, useRef } from "react";
import type { Production, SyncPair } from "../../api/client";
import { type Hearing, hear, position, prepare, setLoop, setMode, stop, useMonitor } from "../../listening/engine";
import type { MonitorMode } from "../../listening/matrix";
import { type Command, typing, useCommandList } from "../../ui/commands";
import { common, namesOf, type View, wholeView, zoomed } from "./view";

type Props = {
  pair: SyncPair;
  production: Production;
  view: View;
  setView: (to: View | ((was: View) => View)) => void;
  /** Which strand of each is heard. */
  strands: { ref: string; take: string };
  nudge: (samples: number) => void;
  /** Set to what has the pair heard anew where it sounds: after it was moved. */
  again: RefObject<() => void>;
};

/** Hearing a pair, and moving it, by key: returns what has it heard from the view's beginning, or from where it is. */
export function useHearPair({ pair: p, production, view, setView, strands, nudge, again }: Props) {
  const rate = p.ref.sample_rate;
  const names = namesOf(p);
  // What is heard begins where the view does, or goes on where it is.
  const listen = (mode: MonitorMode, latched: boolean) => {
    const going = hearing();
    const c = common(p);
    const from = going ? position() : Math.max(view.centre - view.span / 2, c?.from ?? 0) * rate;
    const h: Hearing = {
      of: { pair: p.id, ref: strands.ref, take: strands.take },
      labels: [names.ref, names.take],
      from: Math.round(from),
      sampleRate: rate,
      says: `${names.take} with ${names.ref}`,
      start: p.ref.start,
      mode,
      match: true,
    };
    void hear(h, latched, going !== null);
  };
  const hearing = () => {
    const h = useMonitor.getState().hearing;
    return h && "pair" in h.of && h.of.pair === p.id ? h : null;
  };
  again.current = () => {
    const h = hearing();
    if (h) void hear({ ...h, from: Math.round(position()) }, useMonitor.getState().latched, true);
  };

  const act = {
    both: () => {
      const h = hearing();
      if (h) stop();
      else listen({ kind: "pair", pair: 0 }, true);
    },
    sides: () => {
      const h = hearing();
      if (!h) listen({ kind: "pair", pair: 0 }, true);
      else setMode(h.mode.kind === "pair" ? { kind: "both" } : { kind: "pair", pair: 0 });
    },
    flip: () => {
      const h = hearing();
      const channel = h?.mode.kind === "alone" ? 1 - h.mode.channel : 0;
      if (h) setMode({ kind: "alone", channel }, `${channel === 0 ? names.ref : names.take} alone, compared`);
      else listen({ kind: "alone", channel }, true);
    },
    loop: () => {
      const h = hearing();
      if (!h) return;
      const from = Math.round((view.centre - view.span / 2) * rate);
      setLoop(h.loop ? undefined : { from, to: from + Math.max(1, Math.round(view.span * rate)) });
    },
    nudge,
    view: setView,
    whole: () => setView(wholeView(p)),
  };
  const latest = useRef(act);
  latest.current = act;
  const frame = (rate * production.rate.den) / production.rate.num;
  const commands = useMemo<Command[]>(() => {
    const moves: [string, string, number][] = [
      ["frame", "mod+", frame],
      ["millisecond", "shift+", rate / 1000],
      ["sample", "mod+shift+", 1],
    ];
    return [
      { id: "in", name: "Look closer", key: "+", run: () => setView((v) => zoomed(v, -1)) },
      { id: "out", name: "See more", key: "-", run: () => setView((v) => zoomed(v, 1)) },
      { id: "all", name: "See all that both hear", key: "0", run: () => latest.current.whole() },
      {
        id: "left",
        name: "Look earlier",
        key: "ArrowLeft",
        run: () => setView((v) => ({ ...v, centre: v.centre - v.span / 4 })),
      },
      {
        id: "right",
        name: "Look later",
        key: "ArrowRight",
        run: () => setView((v) => ({ ...v, centre: v.centre + v.span / 4 })),
      },
      { id: "ears", name: "Hear one left and the other right, or stop", key: " ", run: () => latest.current.both() },
      { id: "sides", name: "Hear both on both sides, or one a side", key: "b", run: () => latest.current.sides() },
      { id: "flip", name: "Flip between one and the other", key: "=", run: () => latest.current.flip() },
      { id: "loop", name: "Hear what is in view over and over", key: "\\", run: () => latest.current.loop() },
      ...moves.flatMap(([name, mod, by]): Command[] => [
        {
          id: `earlier-${name}`,
          name: `Move it a ${name} earlier`,
          key: `${mod}ArrowLeft`,
          run: () => latest.current.nudge(-by),
        },
        {
          id: `later-${name}`,
          name: `Move it a ${name} later`,
          key: `${mod}ArrowRight`,
          run: () => latest.current.nudge(by),
        },
      ]),
    ];
  }, [frame, rate]);
  useCommandList("Sync, the pair", commands);

  const hold = useRef(listen);
  hold.current = listen;
  useEffect(() => {
    prepare(rate);
    const which = (e: KeyboardEvent) => (e.code === "Digit1" ? 0 : e.code === "Digit2" ? 1 : -1);
    const down = (e: KeyboardEvent) => {
      const w = which(e);
      if (w >= 0 && !e.repeat && !e.ctrlKey && !e.metaKey && !e.altKey && !typing(e.target))
        hold.current({ kind: "alone", channel: w }, false);
    };
    const up = (e: KeyboardEvent) => which(e) >= 0 && stop();
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [rate]);
  return listen;
}
