import type { ReactNode } from "react";
import type { Schemas, SyncPair } from "../../api/client";
import { Button, Key } from "../../ui/controls";
import { inWords } from "./view";

type Props = { pair: SyncPair; rate: Schemas["Rate"]; onClock: (off: boolean) => void };

/** Offset, certainty, polarity, drift and the count of channels, in words and numbers. */
export function Facts({ pair: p, rate, onClock }: Props) {
  const frames = (seconds: number) => ((seconds * rate.num) / rate.den).toFixed(2);
  const rows: [string, ReactNode, string?][] = [
    [
      "Offset",
      `${inWords(Math.abs(p.offset_seconds))} (${Math.abs(p.offset_samples).toFixed(1)} samples) ${p.offset_samples < 0 ? "before" : "after"} the first sample of ${p.ref.name}${p.by === "timecode" ? ", by timecode" : ""}`,
    ],
  ];
  if (p.nudge !== 0) {
    const s = p.nudge / p.ref.sample_rate;
    rows.push([
      "By hand",
      `moved ${Math.abs(p.nudge)} samples, ${Math.abs(s * 1000).toFixed(2)} ms, ${frames(Math.abs(s))} frames ${s > 0 ? "later" : "earlier"}`,
      "text-caution",
    ]);
  }
  if (p.apart_from_here_ms !== null && Math.abs(p.apart_from_here_ms) > 0.02) {
    rows.push([
      "Lies now",
      `${inWords(Math.abs(p.apart_from_here_ms) / 1000)} ${p.apart_from_here_ms > 0 ? "earlier" : "later"} than this pair says`,
      Math.abs(p.apart_from_here_ms) > 1 ? "text-caution" : undefined,
    ]);
  }
  const clock = p.take.camera || p.take.roll || p.take.name;
  rows.push([
    "Its clock",
    p.clock_seconds !== 0 ? (
      <>
        set right by {inWords(Math.abs(p.clock_seconds))} for the day{" "}
        <Button className="ml-1 h-5 px-1.5 text-small" onClick={() => onClock(false)}>
          It was right
        </Button>
      </>
    ) : p.shift_seconds === null ? (
      "one of them has no timecode to compare"
    ) : Math.abs(p.shift_seconds) < 0.0005 ? (
      "agrees with its timecode"
    ) : (
      <>
        {inWords(Math.abs(p.shift_seconds))} {p.shift_seconds > 0 ? "behind" : "ahead"}{" "}
        {Math.abs(p.shift_seconds) > 0.02 && (
          <Button className="ml-1 h-5 px-1.5 text-small" onClick={() => onClock(true)}>
            Set {clock} right for the day <Key>K</Key>
          </Button>
        )}
      </>
    ),
  ]);
  if (p.windows > 0) {
    rows.push(
      [
        "Agreement",
        `${p.agree} of ${p.windows} places, within ${p.spread_ms.toFixed(2)} ms; ${inWords(p.overlap)} in common`,
      ],
      [
        "Drift",
        p.drift_ppm === null
          ? "too short in common to tell"
          : `${p.drift_ppm.toFixed(1)} ppm, ${p.apart_ms.toFixed(2)} ms apart at the end; corrected once accepted`,
      ],
      ["Polarity", p.polarity < 0 ? "inverted" : "the same", p.polarity < 0 ? "text-caution" : undefined],
    );
  }
  rows.push(["Channels", `${p.take.strands} in, ${p.take.strands} kept: all move together`]);
  return (
    <dl className="grid min-w-0 flex-1 grid-cols-[80px_1fr] content-start items-baseline gap-y-0.5">
      {rows.map(([k, v, look]) => (
        <div key={k} className="contents">
          <dt className="text-quiet">{k}</dt>
          <dd className={`figures min-w-0 ${look ?? ""}`}>{v}</dd>
        </div>
      ))}
    </dl>
  );
}
