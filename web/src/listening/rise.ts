/** From where what nobody asked Space for begins, in dB, and how long it takes to be as loud as it is, in ms. */
const from = -40;
const takes = 4000;

/** The factor so many milliseconds after it began: straight in decibels, and 1 from then on. */
export function riseAt(ms: number): number {
  return 10 ** ((from * (1 - Math.min(1, Math.max(0, ms / takes)))) / 20);
}

/** A matrix at a factor. */
export function scaled(m: Float32Array, factor: number): Float32Array {
  return factor === 1 ? m : m.map((v) => v * factor);
}
