import { useEffect, useRef } from "react";
import type { Strand, Take } from "../api/client";
import { typing } from "../ui/commands";
import { hear, prepare, stop, useMonitor } from "./engine";

/** What the monitor says of a strand. */
export function saysOf(take: Take, s: Strand): string {
  return `strand ${s.position}, ${s.label || "no label"}, take ${take.name}`;
}

/** Plays one strand of a take alone from a frame. */
export function hearStrand(take: Take, s: Strand, from: number, latched = false) {
  const at = Math.min(Math.max(0, Math.round(from)), Math.max(0, s.frames - 1));
  void hear(
    { strand: s.id, from: at, sampleRate: take.sample_rate, says: saysOf(take, s), start: take.start ?? null },
    latched,
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
      if (e.shiftKey && m.latched && m.hearing?.strand === s.id) {
        stop();
        return;
      }
      held.current = e.shiftKey ? "" : e.code;
      hearStrand(take, s, from(), e.shiftKey);
    };
    const up = (e: KeyboardEvent) => {
      if (held.current !== "" && e.code === held.current) {
        held.current = "";
        stop();
      }
    };
    const away = () => {
      if (held.current !== "") stop();
      held.current = "";
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
