import { memo } from "react";

/** The outline of a strand's sound, small enough to be sent with its take: no request a cell. */
export const TinyWave = memo(function TinyWave({ shape, quiet }: { shape: string; quiet: boolean }) {
  if (!shape) return null;
  const peaks = Uint8Array.from(atob(shape), (c) => c.charCodeAt(0));
  const n = peaks.length;
  // Quiet sound is drawn larger than it is: the square root keeps a whisper visible.
  const half = (i: number) => Math.max(0.4, 15 * Math.sqrt((peaks[i] ?? 0) / 255));
  let d = "";
  for (let i = 0; i < n; i++) d += `M${i * 4} ${16 - half(i)}h3v${2 * half(i)}h-3z`;
  return (
    <svg
      aria-hidden="true"
      viewBox={`0 0 ${n * 4} 32`}
      preserveAspectRatio="none"
      className={`absolute inset-0 h-full w-full ${quiet ? "text-line" : "text-thread"}`}
    >
      <path d={d} fill="currentColor" />
    </svg>
  );
});
