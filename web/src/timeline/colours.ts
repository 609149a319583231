import { type StemKind, stemKinds } from "../ui/stems";

/** The theme's colours, as the canvas needs them. */
export type Colours = Record<"ground" | "panel" | "raised" | "line" | "ink" | "quiet" | "focus" | "caution", string> & {
  stem: (kind: StemKind | undefined) => string;
  font: string;
};

/** Reads them from the page as it is now. */
export function colours(): Colours {
  const css = getComputedStyle(document.documentElement);
  const of = (name: string) => css.getPropertyValue(`--${name}`).trim();
  const stems = new Map(stemKinds.map((k) => [k, of(k.toLowerCase())]));
  return {
    ground: of("ground"),
    panel: of("panel"),
    raised: of("raised"),
    line: of("line"),
    ink: of("ink"),
    quiet: of("quiet"),
    focus: of("focus"),
    caution: of("caution"),
    stem: (kind) => (kind && stems.get(kind)) || of("ink"),
    font: getComputedStyle(document.body).fontFamily,
  };
}
