/** The kinds of stems that have a colour, a pattern and a key of their own. */
export const stemKinds = ["DX", "VO", "MX", "FX"] as const;
export type StemKind = (typeof stemKinds)[number];

/** The kind of a bus, if it is one of these. */
export function kindOf(bus: { kind?: string } | undefined): StemKind | undefined {
  return stemKinds.find((k) => k === bus?.kind);
}

/** Colour of a stem's kind, as a CSS value. */
export function stemColour(kind: StemKind | undefined): string {
  return kind ? `var(--${kind.toLowerCase()})` : "var(--quiet)";
}

const patterns: Record<StemKind, string> = { DX: "weave-DX", VO: "weave-VO", MX: "weave-MX", FX: "weave-FX" };

/** Class that draws a stem's weave in the current colour. */
export function stemWeave(kind: StemKind | undefined): string {
  return kind ? patterns[kind] : "weave-none";
}

/** The keys that send a selection to a stem. */
export const stemKeys: Record<string, StemKind> = { d: "DX", v: "VO", m: "MX", f: "FX" };
