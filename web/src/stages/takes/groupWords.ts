import type { Take } from "../../api/client";

/** Says as a person would what makes the files of a take one. */
export function groupWords(take: Pick<Take, "final" | "why" | "order">, files: number): string {
  const why = take.why.charAt(0).toUpperCase() + take.why.slice(1);
  if (files === 1)
    return take.why === "one mono file"
      ? `One mono file stands by itself. ${take.final ? "That was accepted." : "Is that right?"}`
      : `${why}.`;
  return `${take.final ? "Accepted" : "Proposed"}: ${files} files as one take. ${why}.${take.order ? ` Order: ${take.order}.` : ""}`;
}
