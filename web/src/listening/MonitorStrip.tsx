import { Square, Volume2 } from "lucide-react";
import type { Production } from "../api/client";
import { dbfs, timecodeAt } from "../format";
import { stop, useMonitor } from "./engine";

const floor = -60;

function decibels(level: number): number | null {
  return level > 0 ? 20 * Math.log10(level) : null;
}

/** What is heard, from where and how loud. It stays in place when the stage changes. */
export function MonitorStrip({ production }: { production: Production }) {
  const m = useMonitor();
  const h = m.hearing;
  const now = decibels(m.level);
  const held = decibels(m.held);
  const place = (db: number | null) => (db === null ? 0 : Math.max(0, Math.min(1, 1 - db / floor)) * 100);
  return (
    <section
      aria-label="Monitor"
      data-delay={m.delay ?? undefined}
      className="flex h-11 shrink-0 items-center gap-4 border-line border-t bg-panel px-4"
    >
      <Volume2 size={16} className={h ? "text-focus" : "text-quiet"} aria-hidden="true" />
      <p className="w-[360px] truncate" data-testid="hearing">
        {m.error ? (
          <span className="text-bad">{m.error}</span>
        ) : h ? (
          <>
            Hearing <strong>{h.says}</strong>
            {m.latched && <span className="text-quiet"> (kept)</span>}
          </>
        ) : (
          <span className="text-quiet">Nothing is heard. Hold a strand's number key.</span>
        )}
      </p>
      <p className="figures w-44 text-quiet">
        {h &&
          (h.start !== null
            ? timecodeAt(h.start + m.at, h.sampleRate, production.rate)
            : `${(m.at / h.sampleRate).toFixed(2)} s into it`)}
      </p>
      <div
        role="meter"
        aria-label="Level heard"
        aria-valuemin={floor}
        aria-valuemax={0}
        aria-valuenow={Math.round(now === null ? floor : Math.max(floor, Math.min(0, now)))}
        aria-valuetext={now === null ? "silent" : `${dbfs(now)} dBFS`}
        className="relative h-3 w-56 bg-ground"
      >
        <div className="h-full bg-good" style={{ width: `${place(now)}%` }} />
        {held !== null && (
          <div
            className={`absolute top-0 h-full w-0.5 ${held > -0.1 ? "bg-bad" : "bg-ink"}`}
            style={{ left: `${place(held)}%` }}
          />
        )}
      </div>
      <p className="figures w-36 text-small text-quiet">{h ? `peak ${dbfs(held)} dBFS` : ""}</p>
      <p className="ml-auto whitespace-nowrap text-quiet text-small">{h ? "mono, on both sides at 0 dB" : ""}</p>
      {h && (
        <button
          type="button"
          aria-label="Stop listening"
          onClick={stop}
          className="flex h-7 w-7 items-center justify-center text-ink hover:text-focus"
        >
          <Square size={14} />
        </button>
      )}
    </section>
  );
}
