/** Which channels of a stream are heard, and where. */
export type MonitorMode =
  /** Folded down as the server says. */
  | { kind: "fold" }
  /** One channel on both sides. */
  | { kind: "alone"; channel: number }
  /** Two neighbours, the first left and the second right; counted from 0. */
  | { kind: "pair"; pair: number }
  /** Every channel on its own output, as far as there are any. */
  | { kind: "direct" }
  /** The first two channels on both sides. */
  | { kind: "both" };

/** A factor for every channel, output after output. */
export function matrixOf(mode: MonitorMode, fold: number[][], channels: number, outputs: number): Float32Array {
  const m = new Float32Array(outputs * channels);
  const put = (output: number, channel: number, v: number) => {
    if (output < outputs && channel < channels) m[output * channels + channel] = v;
  };
  switch (mode.kind) {
    case "fold":
      for (let c = 0; c < channels; c++) {
        put(0, c, fold[c]?.[0] ?? 0);
        put(1, c, fold[c]?.[1] ?? 0);
      }
      break;
    case "alone":
      put(0, mode.channel, 1);
      put(1, mode.channel, 1);
      break;
    case "pair": {
      const left = 2 * mode.pair;
      put(0, left, 1);
      put(1, left + 1 < channels ? left + 1 : left, 1);
      break;
    }
    case "direct":
      for (let c = 0; c < channels; c++) put(c, c, 1);
      break;
    case "both":
      for (let c = 0; c < Math.min(2, channels); c++) {
        put(0, c, Math.SQRT1_2);
        put(1, c, Math.SQRT1_2);
      }
      break;
  }
  return m;
}

/** The same in words. `says` is the server's for folding down. */
export function modeInWords(mode: MonitorMode, says: string, labels: string[]): string {
  const name = (c: number) => labels[c] || `${c + 1}`;
  switch (mode.kind) {
    case "fold":
      return says;
    case "alone":
      return labels.length > 1 ? `${name(mode.channel)} alone, on both sides at 0 dB` : "mono, on both sides at 0 dB";
    case "pair": {
      const left = 2 * mode.pair;
      return left + 1 < labels.length
        ? `${name(left)} left, ${name(left + 1)} right, at 0 dB`
        : `${name(left)} on both sides at 0 dB`;
    }
    case "direct":
      return "every channel on its own output, at 0 dB";
    case "both":
      return "both on both sides, each at −3.0 dB";
  }
}
