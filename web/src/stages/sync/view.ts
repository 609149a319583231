import type { SyncPair } from "../../api/client";

/** What is seen of a pair: a stretch of the reference's clock, in seconds from its first sample. */
export type View = { centre: number; span: number };

export const spans = [0.01, 0.05, 0.2, 1, 4, 15, 60, 300, 1800];

/** Where both recordings lie on the reference's clock, in seconds. */
export function bars(p: SyncPair) {
  const ref = p.ref.frames / p.ref.sample_rate;
  const take = p.take.frames / p.take.sample_rate / (1 + (p.drift_ppm ?? 0) * 1e-6);
  const at = p.offset_seconds;
  return { ref: { from: 0, to: ref }, take: { from: at, to: at + take } };
}

/** All of what both hear, or of both where they hear nothing together. */
export function wholeView(p: SyncPair): View {
  const b = bars(p);
  let from = Math.max(b.ref.from, b.take.from);
  let to = Math.min(b.ref.to, b.take.to);
  if (to <= from) {
    from = Math.min(b.ref.from, b.take.from);
    to = Math.max(b.ref.to, b.take.to);
  }
  return { centre: (from + to) / 2, span: Math.max(0.01, to - from) };
}

/** The frames of either recording that a view shows, ends rounded to whole ones. */
export function framesOf(p: SyncPair, v: View) {
  const from = v.centre - v.span / 2;
  const to = v.centre + v.span / 2;
  const faster = 1 + (p.drift_ppm ?? 0) * 1e-6;
  const ref = (t: number) => Math.round(t * p.ref.sample_rate);
  const take = (t: number) => Math.round((t - p.offset_seconds) * faster * p.take.sample_rate);
  return {
    ref: { from: ref(from), to: Math.max(ref(from) + 1, ref(to)) },
    take: { from: take(from), to: Math.max(take(from) + 1, take(to)) },
  };
}

/** The next span in or out, beside a view's own. */
export function zoomed(v: View, way: 1 | -1): View {
  const next = way < 0 ? [...spans].reverse().find((s) => s < v.span * 0.99) : spans.find((s) => s > v.span * 1.01);
  return next === undefined ? v : { ...v, span: next };
}

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
