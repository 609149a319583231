import { useRef } from "react";

/** How fast work goes and how long it still takes, in words: from what was done since it was first seen. */
export function usePace(of: string, done: number, total: number, sampleRate: number): string {
  const first = useRef<{ of: string; done: number; at: number } | null>(null);
  if (first.current?.of !== of || done < first.current.done) first.current = { of, done, at: performance.now() };
  const spent = (performance.now() - first.current.at) / 1000;
  return paceWords(done - first.current.done, total - done, spent, sampleRate);
}

/**
 * The same from frames that were done in some seconds, and frames that are left; nothing where that says little yet, and no
 * speed where the sample rate is not known (0).
 */
export function paceWords(done: number, left: number, seconds: number, sampleRate: number): string {
  if (seconds < 0.5 || done <= 0) return "";
  const speed = done / seconds / sampleRate;
  const rest = Math.ceil((left * seconds) / done);
  const time = rest >= 90 ? `${Math.ceil(rest / 60)} min` : `${rest} s`;
  if (sampleRate === 0) return `${time} left`;
  return `${speed < 10 ? speed.toFixed(1) : Math.round(speed)} times real time, ${time} left`;
}
