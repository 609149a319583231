import type { Stem } from "../api/client";

/** Colour of a stem's kind, as a CSS value. */
export function stemColour(kind: Stem["kind"] | undefined): string {
  return kind ? `var(--${kind.toLowerCase()})` : "var(--quiet)";
}

/** Class that draws a stem's weave in the current colour. */
export function stemWeave(kind: Stem["kind"] | undefined): string {
  return { DX: "weave-DX", VO: "weave-VO", MX: "weave-MX", FX: "weave-FX" }[kind ?? ("" as "DX")] ?? "weave-none";
}

/** The keys that send a selection to a stem. */
export const stemKeys: Record<string, Stem["kind"]> = { d: "DX", v: "VO", m: "MX", f: "FX" };
