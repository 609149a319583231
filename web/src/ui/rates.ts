import type { Schemas } from "../api/client";

/** The rates that timecode counts in, by the names that they go by. */
export const rates: Record<string, Schemas["Rate"]> = {
  "23.976": { num: 24000, den: 1001, drop: false },
  "24": { num: 24, den: 1, drop: false },
  "25": { num: 25, den: 1, drop: false },
  "29.97": { num: 30000, den: 1001, drop: false },
  "29.97 drop": { num: 30000, den: 1001, drop: true },
  "30": { num: 30, den: 1, drop: false },
  "47.95": { num: 48000, den: 1001, drop: false },
  "48": { num: 48, den: 1, drop: false },
  "50": { num: 50, den: 1, drop: false },
  "59.94": { num: 60000, den: 1001, drop: false },
  "59.94 drop": { num: 60000, den: 1001, drop: true },
  "60": { num: 60, den: 1, drop: false },
};

/** They in order: an object would put whole numbers first. */
export const rateNames = Object.keys(rates).sort((a, b) => Number.parseFloat(a) - Number.parseFloat(b));
