/** The colours of markers, each with a sign of its own, so that nothing depends on colour alone. */
export const markerColours = {
  citron: { colour: "var(--focus)", sign: "◇" },
  tangerine: { colour: "var(--dx)", sign: "△" },
  plum: { colour: "var(--mx)", sign: "○" },
  lime: { colour: "var(--fx)", sign: "□" },
  sea: { colour: "var(--sea)", sign: "☆" },
} as const;

export type MarkerColour = keyof typeof markerColours;

export const markerLook = (colour: string | undefined) => markerColours[(colour || "citron") as MarkerColour];
