import type { Scale } from "../../editor/envelope";
import { typedNumber } from "../../ui/numbers";

/** A level that was typed, in dB as clips and tracks may have it; null for what is none. */
export function decibels(text: string): number | null {
  const v = typedNumber(text);
  return v === null ? null : Math.max(-96, Math.min(24, v));
}

/** A direction that was typed: 30, 30° left, or 30 right, as degrees to the left; null for what is none. */
export function bearing(text: string): number | null {
  if (/^\s*ahead\s*$/i.test(text)) return 0;
  const m = /^\s*([+−-]?\d+(?:[.,]\d+)?)\s*°?\s*(l|left|r|right)?\s*$/i.exec(text);
  if (!m?.[1]) return null;
  const v = Number(m[1].replace("−", "-").replace(",", "."));
  const to = m[2]?.[0]?.toLowerCase() === "r" ? -Math.abs(v) : v;
  return Math.abs(to) <= 180 ? to : null;
}

/** A position that was typed: −30, 30 % left or 30 right, as −1 (left) to 1; null for what is none. */
export function percent(text: string): number | null {
  if (/^\s*(c|centre|middle)\s*$/i.test(text)) return 0;
  const m = /^\s*([+−-]?\d+(?:[.,]\d+)?)\s*%?\s*(l|left|r|right)?\s*$/i.exec(text);
  if (!m?.[1]) return null;
  const v = Number(m[1].replace("−", "-").replace(",", "."));
  const side = m[2]?.[0]?.toLowerCase();
  const to = (side === "l" ? -Math.abs(v) : v) / 100;
  return Math.abs(to) <= 1 ? to : null;
}

/** A figure of a treatment that was typed: −3, "1.2k", 80 Hz; within what its lane stands for. */
export const figureTyped = (scale: Scale) => (text: string) => {
  const v = typedNumber(text);
  const to = (v ?? Number.NaN) / (scale.per ?? 1);
  return to >= Math.min(scale.top, scale.floor) && to <= Math.max(scale.top, scale.floor) ? to : null;
};
