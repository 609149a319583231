const term = /^([+-]?)\s*(\d+(?:\.\d+)?|\.\d+)\s*(k?)\s*(?:[a-zµ%°:/]+\d*)?\s*/i;

/**
 * A number as it is typed: "−3", "2,5 dB", "1.2k", and sums of such ("-23+2", "80 Hz + 20"); null for what is none. Units are
 * those of the field, and may stand behind each.
 */
export function typedNumber(text: string): number | null {
  let rest = text.trim().replaceAll("−", "-").replaceAll(",", ".");
  if (rest === "") return null;
  let sum = 0;
  for (let first = true; rest !== ""; first = false) {
    const m = term.exec(rest);
    if (!m?.[2] || (!first && !m[1])) return null;
    const v = Number(m[2]) * (m[3] ? 1000 : 1);
    sum += m[1] === "-" ? -v : v;
    rest = rest.slice(m[0].length);
  }
  return Number(sum.toFixed(9));
}

/** The same within bounds; null beyond them. */
export function typedWithin(text: string, from: number, to: number): number | null {
  const v = typedNumber(text);
  return v !== null && v >= from && v <= to ? v : null;
}
