import type { Patch } from "../../api/client";
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

/** An output in little: its number, and its name as far as a column has room. */
export const outputHead = (name: string, i: number) =>
  `${i + 1} ${name.length > 5 ? (name.split(" ").at(-1) ?? name) : name}`;
