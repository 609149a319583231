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

type Coloured = { kind?: string; colour?: string; role?: string };

/** The colour of a bus: its own, that of its kind, or that of a mix. */
export function colourOf(bus: Coloured | undefined): string {
  if (bus?.colour) return `var(--${bus.colour})`;
  if (bus?.role === "mix") return "var(--ink)";
  return stemColour(kindOf(bus));
}

const further: Record<string, string> = {
  sea: "weave-herringbone",
  clay: "weave-dots",
  sky: "weave-zigzag",
  moss: "weave-cross",
};

/** Class that draws a bus's weave in the current colour. */
export function weaveOf(bus: Coloured | undefined): string {
  if (bus?.colour) return further[bus.colour] ?? "weave-none";
  return bus?.role === "mix" ? "weave-mix" : stemWeave(kindOf(bus));
}

/** The colours that a further stem may have. */
export const stemColours = ["sea", "clay", "sky", "moss"] as const;

/** The keys that send a selection to a stem. */
export const stemKeys: Record<string, StemKind> = { d: "DX", v: "VO", m: "MX", f: "FX" };
