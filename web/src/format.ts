import type { Schemas } from "./api/client";

type Rate = Schemas["Rate"];

/** Frame number as timecode (SMPTE ST 12-1), drop-frame with a semicolon. A day wraps. */
export function timecode(frame: number, rate: Rate): string {
  const base = Math.ceil(rate.num / rate.den);
  const dropped = rate.drop ? base / 15 : 0;
  const perTen = base * 600 - 9 * dropped;
  const day = perTen * 144;
  let f = ((frame % day) + day) % day;
  if (dropped > 0) {
    const tens = Math.floor(f / perTen);
    const rest = f % perTen;
    f += 9 * dropped * tens;
    if (rest >= base * 60) f += dropped * (Math.floor((rest - base * 60) / (base * 60 - dropped)) + 1);
  }
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  const s = Math.floor(f / base);
  return `${two(s / 3600)}:${two((s / 60) % 60)}:${two(s % 60)}${dropped ? ";" : ":"}${two(f % base)}`;
}

/**
 * Timecode of a position in samples since midnight. Through integers: a day of samples at 192 kHz
 * times 60000 is more than a double holds exactly.
 */
export function timecodeAt(samples: number, sampleRate: number, rate: Rate): string {
  const frame = (BigInt(Math.round(samples)) * BigInt(rate.num)) / (BigInt(sampleRate) * BigInt(rate.den));
  return timecode(Number(frame), rate);
}

/** A length in minutes and seconds: 1:07.3. */
export function duration(frames: number, sampleRate: number): string {
  const tenths = Math.round((frames / sampleRate) * 10);
  const minutes = Math.floor(tenths / 600);
  const rest = (tenths % 600) / 10;
  return `${minutes}:${rest.toFixed(1).padStart(4, "0")}`;
}

/** Bytes in the largest fitting decimal unit. */
export function bytes(n: number): string {
  const units = ["B", "kB", "MB", "GB", "TB"];
  let i = 0;
  let v = n;
  while (v >= 1000 && i < units.length - 1) {
    v /= 1000;
    i++;
  }
  return `${i === 0 ? v : v.toFixed(v < 10 ? 1 : 0)} ${units[i]}`;
}

/** A level in dBFS with one decimal; null is nothing but zeros. */
export function dbfs(v: number | null): string {
  return v === null
    ? "-∞"
    : v
        .toFixed(1)
        .replace(/^-(?=.*[1-9])/, "−")
        .replace(/^-/, "");
}

/** A gain in dB with its sign. */
export function gain(v: number): string {
  return `${v > 0 ? "+" : v < 0 ? "−" : ""}${Math.abs(v).toFixed(1)} dB`;
}

/** A factor of the product grid as dB; 0 is nothing. */
export function factor(v: number): string {
  if (v === 0) return "";
  const db = 20 * Math.log10(Math.abs(v));
  return `${db > 0.049 ? "+" : db < -0.049 ? "−" : ""}${Math.abs(db).toFixed(1)}`;
}

/** Thousands divided by thin spaces. */
export function count(n: number): string {
  return String(n).replace(/\B(?=(\d{3})+(?!\d))/g, "\u2009");
}

/** "1 take", "2 takes". */
export function plural(n: number, one: string, many = `${one}s`): string {
  return `${n} ${n === 1 ? one : many}`;
}

/** The same in short, in frames: "▸1.25 f". */
export function awayInShort(samples: number, sampleRate: number, rate: { num: number; den: number }): string {
  const frames = ((Math.abs(samples) / sampleRate) * rate.num) / rate.den;
  return samples === 0 ? "◇" : `${samples > 0 ? "▸" : "◂"}${frames.toFixed(2)} f`;
}

/** How far a strand lies from where its take has it: "1.25 frames, 50.00 ms late". */
export function fromHome(samples: number, sampleRate: number, rate: { num: number; den: number }): string {
  if (samples === 0) return "let go, and at home";
  const seconds = Math.abs(samples) / sampleRate;
  const frames = (seconds * rate.num) / rate.den;
  return `${frames.toFixed(2)} frames, ${(seconds * 1000).toFixed(2)} ms ${samples > 0 ? "late" : "early"} from home`;
}
