import type { Clip, Reel, Track } from "../api/client";

/** What is in view: first sample, CSS pixels a sample, and the size in CSS pixels. */
export type View = { from: number; px: number; top: number; width: number; height: number };

export const xOf = (v: View, at: number) => (at - v.from) * v.px;
export const sampleOf = (v: View, x: number) => v.from + x / v.px;

/** A track as it is laid out, from the top of all tracks. */
export type Row = {
  track: Track;
  channels: string[];
  /** All its channels are drawn in one lane. */
  folded: boolean;
  top: number;
  height: number;
};

const one = 48; // px of a track of one channel
const each = 24; // px of a channel of a wider one
const many = 8; // channels beyond which a track is folded until it is unfolded
const narrow = 16; // px of a channel of such a one
const strip = 14; // px for the names of clips
const named = 34; // px of a track from which on its clips have their names

/** The least and the greatest height of a track, in CSS pixels. */
export const heights = { least: 6, most: 4000 };

/** The name strip above the threads of a track's clips; 0 where there is no room for it. */
export const nameHeight = (row: { height: number }) => (row.height < named ? 0 : strip);

/** Whether a track is folded, where nobody has chosen: only those of many channels are. */
const foldedAlone = (channels: string[]) => channels.length > many;

type Laid = {
  /** Which tracks were folded and unfolded, by their IDs. */
  folds?: Readonly<Record<string, boolean>>;
  /** Which heights were set, by their IDs. */
  heights?: Readonly<Record<string, number>>;
  /** The height of the window: tracks of which none was set fill it. */
  room?: number;
};

/** Lays tracks out one below the other: wide ones show a lane a channel, or are folded into one. */
export function rowsOf(reel: Reel, tracks: Track[], { folds = {}, heights: own = {}, room = 0 }: Laid = {}): Row[] {
  const natural = tracks.map((track) => {
    const channels = reel.worked_out.layouts[track.layout] ?? ["M"];
    const folded = channels.length > 1 && (folds[track.id] ?? foldedAlone(channels));
    const lane = channels.length > many ? narrow : each;
    const height = channels.length === 1 || folded ? one : strip + lane * channels.length;
    return { track, channels, folded, height, set: own[track.id] };
  });
  const taken = natural.reduce((sum, r) => sum + (r.set ?? 0), 0);
  const rest = natural.reduce((sum, r) => sum + (r.set === undefined ? r.height : 0), 0);
  const grow = Math.max(1, (room - taken) / Math.max(1, rest));
  let top = 0;
  return natural.map(({ set, height, ...r }) => {
    const row = { ...r, top, height: Math.round(set ?? height * grow) };
    top += row.height;
    return row;
  });
}

/** The rows that are in view. */
export function rowsIn(rows: Row[], top: number, height: number): Row[] {
  return rows.filter((r) => r.top + r.height > top && r.top < top + height);
}

/** Clips that reach into [from, to), of clips in order of time. */
export function clipsIn(clips: Clip[], from: number, to: number): Clip[] {
  let lo = 0;
  let hi = clips.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    const c = clips[mid];
    if (c && c.at < to) lo = mid + 1;
    else hi = mid;
  }
  // All that begin before the end; those that end before the beginning are at the front.
  let first = 0;
  hi = lo;
  while (first < hi) {
    const mid = (first + hi) >> 1;
    const c = clips[mid];
    if (c && c.at + c.length <= from) first = mid + 1;
    else hi = mid;
  }
  return clips.slice(first, lo);
}

/** What a place of a clip does when it is dragged. */
export type Zone = "body" | "head" | "tail" | "fade in" | "fade out";
export type Hit = { row: Row; clip?: Clip; zone?: Zone };

const grip = 6; // px of an edge that can be taken

/** What lies under a place in the lanes, in CSS pixels. */
export function hit(v: View, rows: Row[], x: number, y: number): Hit | undefined {
  const row = rows.find((r) => y + v.top >= r.top && y + v.top < r.top + r.height);
  if (!row) return undefined;
  const at = sampleOf(v, x);
  const near = grip / v.px;
  // The one that was drawn last lies on top.
  const clip = clipsIn(row.track.clips, at - near / 2, at + near / 2).at(-1);
  if (!clip) return { row };
  const left = xOf(v, clip.at);
  const right = xOf(v, clip.at + clip.length);
  const down = y + v.top - row.top;
  const wide = right - left > 4 * grip;
  const names = nameHeight(row);
  if (wide && row.height >= named && down >= names && down < names + 12) {
    const fadeIn = left + (clip.fade_in?.length ?? 0) * v.px;
    const fadeOut = right - (clip.fade_out?.length ?? 0) * v.px;
    if (Math.abs(x - fadeIn) <= grip && x > left + 2) return { row, clip, zone: "fade in" };
    if (Math.abs(x - fadeOut) <= grip && x < right - 2) return { row, clip, zone: "fade out" };
    if (!clip.fade_in?.length && x >= left && x <= left + 2 * grip) return { row, clip, zone: "fade in" };
    if (!clip.fade_out?.length && x <= right && x >= right - 2 * grip) return { row, clip, zone: "fade out" };
  }
  if (wide && x <= left + grip) return { row, clip, zone: "head" };
  if (wide && x >= right - grip) return { row, clip, zone: "tail" };
  return at >= clip.at && at < clip.at + clip.length ? { row, clip, zone: "body" } : { row };
}

/** The name under which what a channel of a clip plays is drawn: a mid-side pair's by both of its strands. */
export function soundName(clip: Clip, channel: number): string {
  const m = clip.patch?.matrix;
  const [a = "", b] = clip.strands;
  if (b && m?.length === 1 && m[0]?.length === 2 && m[0][0] === 1 && Math.abs(m[0][1] ?? 0) === 1)
    return `${a}${m[0][1] === 1 ? "+" : "~"}${b}`;
  return clip.strands[channel] ?? a;
}

/** The edges that a drag or the pointer catches on, nearest first within some samples. */
export function caught(at: number, edges: Iterable<number>, within: number): number | null {
  let best: number | null = null;
  for (const e of edges)
    if (Math.abs(e - at) <= within && (best === null || Math.abs(e - at) < Math.abs(best - at))) best = e;
  return best;
}

/** All edges of clips, in order, but for those of some. */
export function edgesOf(tracks: Track[], but?: ReadonlySet<string>): number[] {
  const all = new Set<number>();
  for (const t of tracks)
    for (const c of t.clips)
      if (!but?.has(c.id)) {
        all.add(c.at);
        all.add(c.at + c.length);
      }
  return [...all].sort((a, b) => a - b);
}

/** The lane that a clip's envelope is drawn in, in CSS pixels from the top of what is in view. */
export const envelopeLane = (v: View, row: Row) => ({
  top: row.top - v.top + 1 + nameHeight(row),
  height: row.height - 2 - nameHeight(row),
});
