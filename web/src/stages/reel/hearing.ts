import { useEffect, useRef } from "react";
import type { EditAction, Reel } from "../../api/client";
import { point, useEditor } from "../../editor/store";
import { listeningInWords } from "../../editor/targets";
import { goOn, type Hearing, hear, prepare, setLoop, stop, useMonitor } from "../../listening/engine";
import { Scrubber, scrubHearing } from "../../listening/Scrubber";
import type { Row } from "../../timeline/geometry";
import { playhead } from "../../timeline/place";
import { typing } from "../../ui/commands";
import { note } from "../../ui/notes";

/** The reel as it is routed, from a place on, with what is heard alone or not for the listening. */
function routed(reel: Reel, from: number): Hearing {
  const { solo, mute, heard } = useEditor.getState();
  // What was removed since, or is of another reel, is not what one wants to hear alone.
  const here = new Set(
    [...reel.doc.weave.buses, ...reel.doc.tracks, ...reel.doc.tracks.flatMap((t) => t.clips)].map((x) => x.id),
  );
  const of = (ids: ReadonlySet<string>) => [...ids].filter((id) => here.has(id));
  return {
    of: {
      reel: reel.id,
      solo: of(solo),
      mute: of(mute),
      outputs: [...heard].filter((i) => i < reel.doc.weave.outputs.length),
    },
    labels: reel.doc.weave.outputs.map((o) => o.name),
    from,
    sampleRate: reel.sample_rate,
    says: `${reel.name} as it is routed${listeningInWords(reel)}`,
    start: 0,
    rate: reel.worked_out.rate,
    mode: { kind: "fold" },
  };
}

/** The reel as it is routed, to be moved along by hand. */
export function scrubReel(reel: Reel): Scrubber {
  const { start, end } = reel.worked_out;
  return new Scrubber(scrubHearing(routed(reel, start), Math.max(0, start), end));
}

let jogging: { reel: string; scrubber: Scrubber; step: number; rest?: ReturnType<typeof setTimeout> } | null = null;

/** ms without a further step that a step by keys goes on sounding, once its sound is here. */
const jogFor = 500;

/** Steps the pointer along the reel, and hears what it passes. */
export function jog(reel: Reel, samples: number) {
  const from = useEditor.getState().pointer;
  const to = Math.max(0, Math.round(from + samples));
  if (jogging?.reel !== reel.id) {
    jogging?.scrubber.end();
    jogging = { reel: reel.id, scrubber: scrubReel(reel), step: 0 };
    void jogging.scrubber.to(from);
  }
  const mine = jogging;
  clearTimeout(mine.rest);
  mine.step++;
  const { step } = mine;
  point(to);
  void mine.scrubber.to(to).finally(() => {
    if (jogging !== mine || mine.step !== step) return;
    mine.rest = setTimeout(() => {
      mine.scrubber.end();
      jogging = null;
    }, jogFor);
  });
}

/** A track before its sends, whether it is off or not. */
function single(reel: Reel, row: Row, from: number): Hearing {
  return {
    of: { reel: reel.id, track: row.track.id },
    labels: row.channels.length === 1 ? [row.track.label] : row.channels.map((c) => `${row.track.label} ${c}`),
    from,
    sampleRate: reel.sample_rate,
    says: `track ${row.track.label} alone, before its routing`,
    start: 0,
    rate: reel.worked_out.rate,
    mode: { kind: "fold" },
  };
}

/** When tone and pips were asked for by a key, and for how many ms a second press means them. */
let askedToIdentify = Number.NEGATIVE_INFINITY;
const again = 3000;

/** Names the outputs in turn, by a tone at line-up level and pips that count, or stops. */
export function playIdentification(reel: Reel, now = true) {
  const h = hearing(reel);
  if (h && "reel" in h.of && h.of.identify) {
    stop();
    return;
  }
  if (!now && performance.now() - askedToIdentify > again) {
    askedToIdentify = performance.now();
    note(`Tone and pips over the monitors: press P once more within ${again / 1000} seconds.`);
    return;
  }
  askedToIdentify = Number.NEGATIVE_INFINITY;
  const labels = reel.doc.weave.outputs.map((o) => o.name);
  void hear(
    {
      of: { reel: reel.id, identify: true },
      labels,
      from: 0,
      sampleRate: reel.sample_rate,
      says: `the outputs of ${reel.name} in turn, by tone and pips`,
      start: null,
      mode: { kind: "fold" },
    },
    true,
  );
}

/** Hears a bus alone, a stem, a part or a mix, as it sums, or stops. */
export function playBus(reel: Reel, bus: { id: string; name: string; layout: string }) {
  const h = hearing(reel);
  if (h && "reel" in h.of && h.of.bus === bus.id) {
    stop();
    return;
  }
  const channels = reel.worked_out.layouts[bus.layout] ?? [];
  void hear(
    {
      of: { reel: reel.id, bus: bus.id },
      labels: channels.map((c) => (channels.length > 1 ? `${bus.name} ${c}` : bus.name)),
      from: playhead(reel.id) ?? (useEditor.getState().pointer || reel.worked_out.start),
      sampleRate: reel.sample_rate,
      says: `${bus.name} alone, before the outputs`,
      start: 0,
      rate: reel.worked_out.rate,
      mode: { kind: "fold" },
    },
    true,
    h !== null,
  );
}

const hearing = (reel: Reel) => {
  const h = useMonitor.getState().hearing;
  return h && "reel" in h.of && h.of.reel === reel.id ? h : null;
};

/** Plays the reel from the pointer, or stops. */
export function playOrStop(reel: Reel) {
  if (useMonitor.getState().hearing) stop();
  else void hear(routed(reel, useEditor.getState().pointer || reel.worked_out.start), true);
}

/** Hears the span over and over. */
export function playSpan(reel: Reel) {
  const { span } = useEditor.getState();
  if (!span) return;
  const h = hearing(reel);
  if (h?.loop && h.loop.from === span.from && h.loop.to === span.to) setLoop(undefined);
  else void hear({ ...routed(reel, span.from), loop: span }, true);
}

/**
 * Hears the reel as it is routed without corrections, louder or softer by so much, where it sounds or from the pointer; or,
 * where that is heard, as it is with them.
 */
export function flipCorrections(reel: Reel, gainDb: number) {
  const h = hearing(reel);
  const was = h !== null && "reel" in h.of && h.of.uncorrected === true;
  const r = routed(reel, playhead(reel.id) ?? (useEditor.getState().pointer || reel.worked_out.start));
  const by = gainDb === 0 ? "" : `, ${gainDb > 0 ? "+" : "−"}${Math.abs(gainDb).toFixed(1)} dB to be as loud`;
  const before = {
    of: { ...(r.of as { reel: string }), uncorrected: true, gainDb },
    says: `before corrections${by}, ${r.says}`,
  };
  void hear({ ...r, ...(was ? {} : before), loop: h?.loop }, true, h !== null);
}

/**
 * Hears the reel with a track or bus before its treatment, as loud as it is after it, where it sounds or from the pointer; or, where
 * that is heard, as it is treated.
 */
export function flipTreatment(reel: Reel, of: string, name: string) {
  const h = hearing(reel);
  const was = h !== null && "reel" in h.of && h.of.untreated === of;
  const r = routed(reel, playhead(reel.id) ?? (useEditor.getState().pointer || reel.worked_out.start));
  const before = {
    of: { ...(r.of as { reel: string }), untreated: of },
    says: `${name} before its treatment, as loud, ${r.says}`,
  };
  void hear({ ...r, ...(was ? {} : before), loop: h?.loop }, true, h !== null);
}

/** Hears a span in its context, over and over, as if something had been done; or stops. */
export function playAsIf(reel: Reel, doing: EditAction[], span: { from: number; to: number }, says: string) {
  const h = hearing(reel);
  const text = JSON.stringify(doing);
  if (h && "reel" in h.of && h.of.doing === text) {
    stop();
    return;
  }
  const around = reel.sample_rate; // a second before and after
  const loop = { from: Math.max(0, span.from - around), to: span.to + around };
  const r = routed(reel, loop.from);
  void hear({ ...r, of: { ...(r.of as { reel: string }), doing: text }, loop, says }, true);
}

/** Plays a track alone from the pointer, or stops. */
export function playTrack(reel: Reel, row: Row | undefined) {
  if (useMonitor.getState().hearing) stop();
  else if (row) void hear(single(reel, row, useEditor.getState().pointer), true);
}

/** What is heard goes on with the reel as it has become: edits, and what is heard alone. */
export function useGoOn(reel: Reel) {
  const solo = useEditor((s) => s.solo);
  const mute = useEditor((s) => s.mute);
  const heard = useEditor((s) => s.heard);
  const before = useRef({ version: reel.version, solo, mute, heard });
  useEffect(() => {
    const was = before.current;
    before.current = { version: reel.version, solo, mute, heard };
    const h = hearing(reel);
    if (!h || !("reel" in h.of)) return;
    if (was.version === reel.version && was.solo === solo && was.mute === mute && was.heard === heard) return;
    if (h.of.identify) return;
    if (h.of.track || h.of.bus || h.of.doing || h.of.uncorrected || h.of.untreated) goOn();
    else goOn({ ...routed(reel, h.from), loop: h.loop });
  }, [reel, solo, mute, heard]);
}

const digit = (code: string) => {
  const m = /^(?:Digit|Numpad)(\d)$/.exec(code);
  return m ? (m[1] === "0" ? 10 : Number(m[1])) : 0;
};

/**
 * Number keys hear one strand alone while they are held: the nth of those that are tied to what is chosen, or else the
 * nth track. What was heard before goes on when the key is let go.
 */
export function useTrackKeys(reel: Reel, rows: Row[]) {
  const latest = useRef({ reel, rows });
  latest.current = { reel, rows };
  const held = useRef<{ code: string; back: Hearing | null } | null>(null);
  const rate = reel.sample_rate;
  useEffect(() => {
    const ready = () => prepare(rate);
    const down = (e: KeyboardEvent) => {
      const n = digit(e.code);
      if (!n || e.repeat || e.ctrlKey || e.metaKey || e.altKey || typing(e.target) || held.current) return;
      const { reel, rows } = latest.current;
      const { clips } = useEditor.getState();
      const ties = new Set(
        rows.flatMap((r) => r.track.clips.filter((c) => clips.has(c.id) && c.tie).map((c) => c.tie)),
      );
      const kin = rows.filter((r) => r.track.clips.some((c) => c.tie && ties.has(c.tie)));
      const row = (kin.length > 0 ? kin : rows)[n - 1];
      if (!row) return;
      e.preventDefault();
      const back = hearing(reel);
      held.current = { code: e.code, back };
      void hear(single(reel, row, playhead(reel.id) ?? useEditor.getState().pointer), false, back !== null);
    };
    const up = (e: KeyboardEvent) => {
      if (!held.current || e.code !== held.current.code) return;
      const { back } = held.current;
      held.current = null;
      const at = playhead(latest.current.reel.id);
      if (back) void hear({ ...back, from: at ?? back.from }, true, true);
      else stop();
    };
    window.addEventListener("pointerdown", ready, { once: true });
    window.addEventListener("keydown", ready, { once: true });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("pointerdown", ready);
      window.removeEventListener("keydown", ready);
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [rate]);
}
