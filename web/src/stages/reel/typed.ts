/** A level that was typed, in dB as clips and tracks may have it; null for what is none. */
export function decibels(text: string): number | null {
  const v = Number(
    text
      .replace("−", "-")
      .replace(",", ".")
      .replace(/\s*dB$/, ""),
  );
  return text.trim() !== "" && Number.isFinite(v) ? Math.max(-96, Math.min(24, v)) : null;
}
