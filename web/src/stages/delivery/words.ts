import type { Schemas } from "../../api/client";
import type { DeliverySpec } from "../../api/delivery";

const codings: Record<string, string> = {
  s16: "16 bits",
  s24: "24 bits",
  s32: "32 bits",
  f32: "32 bits, floating point",
  aac: "AAC",
};

/** Codings of pictures that are coded anew, by their standards. */
export const coders = {
  h264: "H.264",
  h265: "H.265",
  mpeg2: "MPEG-2",
  vc3: "VC-3",
  mjpeg: "Motion JPEG",
  ffv1: "FFV1",
};

/** A coding in words. */
export const codingWords = (coding: string) => codings[coding] ?? coding;

/** A specification in lines of words: what it demands, besides its files. */
export function specWords(spec: DeliverySpec): { what: string; says: string }[] {
  const rows = [
    {
      what: "Sound",
      says: `${spec.sample_rate / 1000} kHz, ${codingWords(spec.coding)}${spec.dither ? ", dithered" : ""}`,
    },
  ];
  const p = spec.programme;
  const length = p.length === "reel" ? "to the reel's end" : "to the end of the last clip";
  rows.push({
    what: "Programme",
    says: `${p.start ? `from ${p.start} ` : ""}${length}${p.whole_frames ? ", in whole frames" : ""}`,
  });
  const stretch = (s: Schemas["SpecSegment"]) =>
    s.what === "tone" ? `${s.seconds} s of ${s.hz || 1000} Hz at ${s.level_dbfs} dBFS` : `${s.seconds} s of ${s.what}`;
  if (p.before?.length) rows.push({ what: "Before it", says: p.before.map(stretch).join(", then ") });
  if (p.after?.length) rows.push({ what: "After it", says: p.after.map(stretch).join(", then ") });
  if (p.pop)
    rows.push({
      what: p.pop.tail ? "2-pop, tail pop" : "2-pop",
      says: `a frame of ${p.pop.hz || 1000} Hz at ${p.pop.level_dbfs} dBFS`,
    });
  for (const l of spec.limits ?? []) {
    const parts: string[] = [];
    if (l.integrated_lufs !== undefined)
      parts.push(`${l.integrated_lufs.toFixed(1)} LUFS ± ${(l.tolerance_lu ?? 0).toFixed(1)} LU`);
    if (l.max_true_peak_dbtp !== undefined) parts.push(`at most ${l.max_true_peak_dbtp.toFixed(1)} dBTP`);
    if (l.max_short_term_lufs !== undefined) parts.push(`short-term at most ${l.max_short_term_lufs.toFixed(1)} LUFS`);
    if (l.max_momentary_lufs !== undefined) parts.push(`momentary at most ${l.max_momentary_lufs.toFixed(1)} LUFS`);
    if (l.max_range_lu !== undefined) parts.push(`range at most ${l.max_range_lu.toFixed(1)} LU`);
    rows.push({ what: `Limits of ${l.of}`, says: `${l.name}: ${parts.join(", ")}` });
  }
  if (spec.names.letters === "plain" || spec.names.most)
    rows.push({
      what: "Names",
      says: [
        spec.names.letters === "plain" ? "A to Z, 0 to 9, - and _ alone" : "",
        spec.names.most ? `at most ${spec.names.most} letters` : "",
      ]
        .filter(Boolean)
        .join(", "),
    });
  const inside = [
    spec.metadata.loudness && "loudness",
    spec.metadata.mask && "speakers in the channel mask",
    spec.metadata.adm && "beds and sound fields by the audio definition model",
  ].filter(Boolean);
  const recode = spec.recode?.codec;
  if (recode)
    rows.push({
      what: "A picture that is cut",
      says: `copied where a key frame allows it, else coded anew as ${coders[recode]}${spec.recode?.megabits ? ` of at most ${spec.recode.megabits} Mbit/s` : ""}`,
    });
  if (spec.headset) rows.push({ what: "A picture for headsets", says: `marked as ${headsetWords(spec.headset)}` });
  if (inside.length) rows.push({ what: "In the files", says: inside.join(", ") });
  if (spec.papers.length) rows.push({ what: "Papers", says: spec.papers.map((k) => paperWords[k] ?? k).join(", ") });
  return rows;
}

/** How the pictures of both eyes share a frame. */
export const eyes = {
  one_picture: "one picture for both eyes",
  over_under: "both eyes one over the other",
  side_by_side: "both eyes side by side",
} as const;

export const headsetWords = (h: NonNullable<DeliverySpec["headset"]>) =>
  `${h.degrees ? `${h.degrees}°` : "flat"}, ${eyes[h.stereo ?? "one_picture"]}`;

export const paperWords: Record<string, string> = {
  pdf: "dispatch note (PDF)",
  csv: "channel sheet (CSV)",
  json: "everything (JSON)",
  mhl: "hash list (MHL)",
};

/** Groups of a file's channels as they are ordered: 2+1+1+2. */
export const widths = (groups: Schemas["FileGroup"][]) => groups.map((g) => g.count).join("+");

/** Whether a picture can go along in a container. */
export const pictured = (container: string) => ["mov", "mxf", "mp4"].includes(container);

/** What a file is: its container, how its sound is coded and grouped, and whether it has the picture. */
export const fileWords = (f: Schemas["PlannedFile"]) =>
  [
    f.container.toUpperCase(),
    ...(f.channels.length > 0 ? [codingWords(f.coding)] : []),
    ...(f.channels.length > 0 ? [widths(f.groups) || `${f.channels.length}`] : []),
    ...(f.picture ? [f.channels.length > 0 ? "with the picture" : "the picture alone"] : []),
  ].join(", ");
