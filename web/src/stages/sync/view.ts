import type { SyncPair } from "../../api/client";

/** What is seen of a pair: a stretch of the reference's clock, in seconds from its first sample. */
export type View = { centre: number; span: number };

export const spans = [0.001, 0.01, 0.05, 0.2, 1, 4, 15, 60, 300, 1800];

/** Where both recordings lie on the reference's clock, in seconds. */
export function bars(p: SyncPair) {
  const ref = p.ref.frames / p.ref.sample_rate;
  const take = p.take.frames / p.take.sample_rate / (1 + (p.drift_ppm ?? 0) * 1e-6);
  const at = p.offset_seconds;
  return { ref: { from: 0, to: ref }, take: { from: at, to: at + take } };
}

/** What both hear, or null where they hear nothing together. */
export function common(p: SyncPair): { from: number; to: number } | null {
  const b = bars(p);
  const from = Math.max(b.ref.from, b.take.from);
  const to = Math.min(b.ref.to, b.take.to);
  return to > from ? { from, to } : null;
}

/** All of what both hear, or of both where they hear nothing together. */
export function wholeView(p: SyncPair): View {
  const b = bars(p);
  const { from, to } = common(p) ?? { from: Math.min(b.ref.from, b.take.from), to: Math.max(b.ref.to, b.take.to) };
  return { centre: (from + to) / 2, span: Math.max(0.001, to - from) };
}

/** The frames of either recording that a view shows, ends rounded to whole ones. */
export function framesOf(p: SyncPair, v: View) {
  const from = v.centre - v.span / 2;
  const to = v.centre + v.span / 2;
  const ref = (t: number) => Math.round(t * p.ref.sample_rate);
  const take = (t: number) => Math.round(inTake(p, t) * p.take.sample_rate);
  return {
    ref: { from: ref(from), to: Math.max(ref(from) + 1, ref(to)) },
    take: { from: take(from), to: Math.max(take(from) + 1, take(to)) },
  };
}

/** A moment of the reference's clock on the other's, in seconds from its first sample. */
export function inTake(p: SyncPair, seconds: number): number {
  return (seconds - p.offset_seconds) * (1 + (p.drift_ppm ?? 0) * 1e-6);
}

/** A pair as it is once it has been moved to so many samples by hand. */
export function nudged(p: SyncPair, samples: number): SyncPair {
  const by = samples - p.nudge;
  return by === 0
    ? p
    : {
        ...p,
        nudge: samples,
        offset_samples: p.offset_samples + by,
        offset_seconds: p.offset_seconds + by / p.ref.sample_rate,
      };
}

/** The next span in or out, beside a view's own. */
export function zoomed(v: View, way: 1 | -1): View {
  const next = way < 0 ? [...spans].reverse().find((s) => s < v.span * 0.99) : spans.find((s) => s > v.span * 1.01);
  return next === undefined ? v : { ...v, span: next };
}

/** A recording on the line that all have in common. */
export type Bar = {
  id: string;
  name: string;
  /** What its timecode is of: all of one recorder or camera stand in one lane. */
  lane: string;
  /** Seconds from the first sample of the pair's reference. */
  from: number;
  to: number;
  /** How its place is known: it is of the pair, it is lined up with another here, or it is there by timecode. */
  by: "pair" | "sound" | "timecode";
  camera: boolean;
};

/**
 * All recordings that hang together with a pair, on one line: what is compared with its reference or with
 * its take, and what is compared with those, each where it is known best.
 */
export function together(pairs: SyncPair[], p: SyncPair): Bar[] {
  const out = new Map<string, Bar>();
  const add = (t: SyncPair["take"], from: number, by: Bar["by"], drift: number | null) => {
    if (out.has(t.id)) return false;
    const seconds = t.frames / t.sample_rate / (1 + (drift ?? 0) * 1e-6);
    out.set(t.id, {
      id: t.id,
      name: t.name,
      lane: t.camera || t.roll || "no roll",
      from,
      to: from + seconds,
      by,
      camera: t.camera !== "",
    });
    return true;
  };
  add(p.ref, 0, "pair", null);
  add(p.take, p.offset_seconds, "pair", p.drift_ppm);
  const heard = (q: SyncPair) => q.by === "sound" && q.state !== "refused" && q.state !== "none";
  for (let again = true; again; ) {
    again = false;
    for (const q of pairs) {
      if (!heard(q)) continue;
      const ref = out.get(q.ref.id);
      const take = out.get(q.take.id);
      if (ref && !take) again = add(q.take, ref.from + q.offset_seconds, "sound", q.drift_ppm) || again;
      else if (take && !ref) again = add(q.ref, take.from - q.offset_seconds, "sound", null) || again;
    }
  }
  // Other takes of the reference's recorder, close by, by timecode.
  const near = 120;
  const start = p.ref.start;
  if (start !== null) {
    for (const q of pairs) {
      if (out.has(q.ref.id) || q.ref.start === null || q.ref.day !== p.ref.day || q.ref.roll !== p.ref.roll) continue;
      const from = q.ref.start / q.ref.sample_rate - start / p.ref.sample_rate;
      if (Math.abs(from) < near) add(q.ref, from, "timecode", null);
    }
  }
  return [...out.values()].sort((a, b) => a.from - b.from);
}

/** The bars of a line in lanes: the reference's first, then the pair's other, then the rest. */
export function lanes(bars: Bar[], p: SyncPair): { name: string; camera: boolean; bars: Bar[] }[] {
  const out: { name: string; camera: boolean; bars: Bar[] }[] = [];
  const order = [...bars].sort((a, b) => rank(a, p) - rank(b, p));
  for (const b of order) {
    const free = out.find((l) => l.name === b.lane && l.bars.every((o) => o.to <= b.from || b.to <= o.from));
    if (free) free.bars.push(b);
    else out.push({ name: b.lane, camera: b.camera, bars: [b] });
  }
  return out;
}

const rank = (b: Bar, p: SyncPair) => (b.id === p.ref.id ? 0 : b.id === p.take.id ? 1 : 2);

/** A time with its unit, in as many places as it is good for: "2 h 11 s", "-18.5 ms". */
export function inWords(seconds: number): string {
  const sign = seconds < 0 ? "−" : "";
  const s = Math.abs(seconds);
  if (s < 0.0000005) return "0";
  if (s < 1) return `${sign}${(s * 1000).toFixed(s < 0.1 ? 2 : 1)} ms`;
  if (s < 60) return `${sign}${s.toFixed(3)} s`;
  const h = Math.floor(s / 3600);
  const m = Math.floor((s % 3600) / 60);
  const rest = s % 60;
  return (
    sign +
    [h > 0 && `${h} h`, m > 0 && `${m} min`, `${rest.toFixed(rest % 1 < 0.0005 ? 0 : 3)} s`].filter(Boolean).join(" ")
  );
}

/** A pair's takes by name, with their rolls where the names are the same. */
export function namesOf(p: SyncPair): { take: string; ref: string } {
  if (p.take.name !== p.ref.name) return { take: p.take.name, ref: p.ref.name };
  return { take: `${p.take.name} ${p.take.roll}`.trim(), ref: `${p.ref.name} ${p.ref.roll}`.trim() };
}
