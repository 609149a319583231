import type { Bus, Patch, Track } from "../../api/client";
import type { Position } from "../../editor/routes";

/** How one channel is put between the sides of its bus, as the row says it. */
export const positions: Record<Position, string> = {
  both: "both, 0 dB",
  both_minus: "both, −3 dB",
  left: "left only",
  right: "right only",
  "": "as it is",
};

type Preset = NonNullable<Patch["preset"]>;

/** Every way from a track into a bus, by its plain name. */
export const ways: Record<Preset, string> = {
  "": "as it is",
  both: "mono on both sides, 0 dB",
  both_minus: "mono on both sides, −3 dB",
  left: "left only",
  right: "right only",
  centre: "centre only",
  pan: "between left and right, by a pan law",
  exchanged: "sides exchanged",
  mid_side: "mid and side decoded",
  speakers: "each channel to its own speaker",
  balance: "balance and width",
  summed: "all channels summed",
  placed: "among the speakers",
  fold: "folded down",
  field: "sound field turned, mirrored, converted",
  decoded: "sound field decoded to speakers",
  encoded: "speakers into a sound field",
  matrix: "by a matrix",
};

/** The ways that a track may be offered into a bus with these channels. */
export function waysOf(track: Pick<Track, "layout">, bus: Bus, channels: string[], own: string[]): Preset[] {
  const sides = channels.includes("L") && channels.includes("R");
  const total = channels[0] === "Lt";
  const out: Preset[] = [];
  if (track.layout === bus.layout) out.push("");
  if (own.length === 1) {
    if (sides) out.push("both", "both_minus", "left", "right", "pan");
    if (channels.includes("C") && channels.length > 1) out.push("centre");
  } else {
    if (own.length === 2 && sides) out.push("balance", "exchanged", "mid_side");
    if (own.length < channels.length && own.every((c) => channels.includes(c))) out.push("speakers");
    if (channels.length < own.length && !total && !track.layout.startsWith("ambisonic")) out.push("fold");
    if (channels.length === 1 || sides) out.push("summed");
  }
  if (total && track.layout !== bus.layout && !/^(discrete|ambisonic|mid-side)/.test(track.layout)) out.push("fold");
  const [from, to] = [track.layout, bus.layout].map((l) => l.startsWith("ambisonic"));
  const bed = (l: string) => !/^(discrete|ambisonic)/.test(l);
  if (from && to) out.push("field");
  if (from && bed(bus.layout)) out.push("decoded");
  if (to && own.length > 1 && bed(track.layout)) out.push("encoded");
  if ((channels.length > 2 && bed(bus.layout)) || (to && !from)) out.push("placed");
  out.push("matrix");
  return out;
}

/** A patch to begin with when a way is chosen. */
export function firstPatch(preset: Preset, own: string[], channels: string[]): Patch {
  switch (preset) {
    case "pan":
      return { preset, law: -3, position: 0 };
    case "decoded":
      return { preset, decoding: "fitted" };
    case "summed":
      return { preset, law: -6 };
    case "balance":
      return { preset, position: 0, width: 1 };
    case "placed":
      return {
        preset,
        places: own.map((_, i) => ({
          azimuth: own.length === 1 ? 0 : own.length === 2 ? 30 - 60 * i : Math.round(180 - (360 * i) / own.length) - 1,
        })),
      };
    case "matrix":
      return { preset, matrix: channels.map((_, i) => own.map((_, j) => (i === j ? 1 : 0))) };
  }
  return { preset };
}

/** The layouts that a bus may be given, as they are offered. */
export const busLayouts = [
  "mono",
  "stereo",
  "stereo total",
  "LCR",
  "quad",
  "5.0",
  "5.1",
  "7.0",
  "7.1",
  "5.1.4",
  "7.0.4",
  "7.1.4",
  "ambisonic 1 SN3D",
  "ambisonic 2 SN3D",
  "ambisonic 3 SN3D",
  "ambisonic 1 FuMa",
  "ambisonic 1 N3D",
  "discrete 2",
  "discrete 4",
  "discrete 8",
];

/** Orders of the speakers of a group of outputs, by how many there are. */
export const orders: Record<number, { order: string; name: string }[]> = {
  3: [
    { order: "broadcast", name: "L C R" },
    { order: "lrc", name: "L R C" },
  ],
  6: [
    { order: "broadcast", name: "broadcast: L R C LFE Ls Rs" },
    { order: "film", name: "film: L C R Ls Rs LFE" },
    { order: "fronts", name: "fronts first: L R Ls Rs C LFE" },
  ],
  8: [
    { order: "broadcast", name: "broadcast: L R C LFE Lss Rss Lsr Rsr" },
    { order: "film", name: "film: L C R Lss Rss Lsr Rsr LFE" },
    { order: "mask", name: "mask: L R C LFE Lsr Rsr Lss Rss" },
  ],
};

/** An output in little: its number, and its name as far as a column has room. */
export const outputHead = (name: string, i: number) =>
  `${i + 1} ${name.length > 5 ? (name.split(" ").at(-1) ?? name) : name}`;
