import { useEffect, useRef } from "react";
import type { Strand, Take } from "../api/client";
import { typing } from "../ui/commands";
import { type Hearing, hear, position, prepare, setMode, stop, useMonitor } from "./engine";

/** What the monitor says of a strand. */
export function saysOf(take: Take, s: Strand): string {
  return `strand ${s.position}, ${s.label || "no label"}, take ${take.name}`;
}

type Options = { latched?: boolean; follows?: boolean; loop?: Hearing["loop"] };

/**
 * Plays one strand of a take alone from a frame. What is heard of the same take goes over to it without a
 * gap where `from` is "here".
 */
export function hearStrand(take: Take, s: Strand, from: number | "here", o: Options = {}) {
  const here = from === "here";
  const at = here ? position() : Math.min(Math.max(0, Math.round(from)), Math.max(0, s.frames - 1));
  void hear(
    {
      of: { strands: [s.id] },
      labels: [s.label || `strand ${s.position}`],
      from: Math.max(0, at),
      loop: o.loop,
      sampleRate: take.sample_rate,
      says: saysOf(take, s),
      start: take.start ?? null,
      mode: { kind: "alone", channel: 0 },
      follows: o.follows,
    },
    o.latched,
    here,
  );
}

/** Plays all strands of a take together from a frame, folded down. */
export function hearTake(take: Take, from: number, loop?: Hearing["loop"]) {
  const { strands } = take;
  void hear(
    {
      of: { strands: strands.map((s) => s.id) },
      labels: strands.map((s) => s.label || `strand ${s.position}`),
      from: Math.min(Math.max(0, Math.round(from)), Math.max(0, take.frames - 1)),
      loop,
      sampleRate: take.sample_rate,
      says: `take ${take.name}, ${strands.length} strands`,
      start: take.start ?? null,
      mode: { kind: "fold" },
    },
    true,
  );
}

/**
 * Hears channels of which it is not certain what they are by one of the answers: together, two of them left and right and more
 * folded down, or each by itself, all in the middle. What is heard of the take goes over without a gap.
 */
export function hearAnswer(take: Take, positions: number[], together: boolean, from: number) {
  const of = take.strands.filter((s) => positions.includes(s.position));
  const here = hearsTake(take, useMonitor.getState().hearing);
  const pair = of.length === 2;
  void hear(
    {
      of: { strands: of.map((s) => s.id) },
      labels: of.map((s) => s.label || `strand ${s.position}`),
      from: here ? position() : Math.min(Math.max(0, Math.round(from)), Math.max(0, take.frames - 1)),
      sampleRate: take.sample_rate,
      says: `strands ${positions.join(", ")} of ${take.name}, ${together ? "together" : "each by itself"}`,
      start: take.start ?? null,
      mode: together
        ? pair
          ? { kind: "pair", pair: 0 }
          : { kind: "fold" }
        : pair
          ? { kind: "both" }
          : { kind: "fold" },
    },
    true,
    here,
  );
}

/** The strand of a take that is heard alone, if any. */
export function aloneIn(take: Take | undefined, h: Hearing | null): Strand | undefined {
  if (!h || !("strands" in h.of) || h.of.strands.length !== 1) return undefined;
  const [id] = h.of.strands;
  return take?.strands.find((s) => s.id === id);
}

/** Whether what is heard is of a take. */
export function hearsTake(take: Take, h: Hearing | null): boolean {
  return h !== null && "strands" in h.of && h.of.strands.some((id) => take.strands.some((s) => s.id === id));
}

/**
 * Flips between two strands of a take at the same moment, without a gap, as loud as each other. Called
 * again with the same two it flips back.
 */
export function compare(take: Take, a: Strand, b: Strand, from: number) {
  const m = useMonitor.getState();
  const h = m.hearing;
  const name = (s: Strand) => s.label || `strand ${s.position}`;
  const says = (s: Strand, o: Strand) => `${name(s)} of ${take.name}, compared with ${name(o)}`;
  if (h && "strands" in h.of && h.of.strands.length === 2 && h.match && h.mode.kind === "alone") {
    const other = 1 - h.mode.channel;
    const [one, two] = h.of.strands.map((id) => take.strands.find((s) => s.id === id));
    if (one && two) {
      setMode({ kind: "alone", channel: other }, other === 0 ? says(one, two) : says(two, one));
      return;
    }
  }
  const here = hearsTake(take, h);
  void hear(
    {
      of: { strands: [a.id, b.id] },
      labels: [name(a), name(b)],
      from: here ? position() : from,
      loop: here ? h?.loop : undefined,
      sampleRate: take.sample_rate,
      says: says(b, a),
      start: take.start ?? null,
      mode: { kind: "alone", channel: 1 },
      match: true,
    },
    true,
    here,
  );
}

const digit = (code: string) => {
  const m = /^(?:Digit|Numpad)(\d)$/.exec(code);
  return m ? (m[1] === "0" ? 10 : Number(m[1])) : 0;
};

/**
 * Number keys hear the strands of a take: alone while held, kept with Shift. `from` is the frame to
 * begin at, read when a key goes down.
 */
export function useStrandKeys(take: Take | undefined, from: () => number) {
  const held = useRef("");
  const under = useRef<Hearing | null>(null); // what a held key hears something else of for a moment
  const latest = useRef({ take, from });
  latest.current = { take, from };
  const rate = take?.sample_rate;
  useEffect(() => {
    if (!rate) return;
    const ready = () => prepare(rate);
    window.addEventListener("pointerdown", ready, { once: true });
    window.addEventListener("keydown", ready, { once: true });
    return () => {
      window.removeEventListener("pointerdown", ready);
      window.removeEventListener("keydown", ready);
    };
  }, [rate]);
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const n = digit(e.code);
      const { take, from } = latest.current;
      if (!n || !take || e.repeat || e.ctrlKey || e.metaKey || e.altKey || typing(e.target)) return;
      const s = take.strands.find((s) => s.position === n);
      if (!s) return;
      e.preventDefault();
      const m = useMonitor.getState();
      if (e.shiftKey && m.latched && aloneIn(take, m.hearing)?.id === s.id) {
        stop();
        return;
      }
      // While something of the take goes on, it is the moment that is kept, and given back.
      const going = m.hearing && (m.latched || under.current) && hearsTake(take, m.hearing);
      held.current = e.shiftKey ? "" : e.code;
      if (!e.shiftKey && going && !under.current) under.current = m.hearing;
      if (e.shiftKey) under.current = null;
      hearStrand(take, s, going ? "here" : from(), { latched: e.shiftKey });
    };
    const up = (e: KeyboardEvent) => {
      if (held.current !== "" && e.code === held.current) {
        held.current = "";
        const back = under.current;
        under.current = null;
        if (back) void hear({ ...back, from: position() }, true, true);
        else stop();
      }
    };
    const away = () => {
      if (held.current !== "") stop();
      held.current = "";
      under.current = null;
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", away);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", away);
    };
  }, []);
}
