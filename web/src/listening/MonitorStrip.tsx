import { Headphones, Square, Volume1, Volume2 } from "lucide-react";
import { useMemo } from "react";
import type { Production } from "../api/client";
import { dbfs, gain, timecodeAt } from "../format";
import { type Command, useCommandList, useCommands } from "../ui/commands";
import { Choice } from "../ui/controls";
import { clearClips, dimDb, setHeadphones, setLoop, setMode, stop, useListening, useMonitor } from "./engine";
import { Meters } from "./Meters";
import type { MonitorMode } from "./matrix";

const floor = -60;
const steps = 3; // dB
const decibels = (level: number): number | null => (level > 0 ? 20 * Math.log10(level) : null);
const louder = (by: number) =>
  useListening.setState((s) => ({ gainDb: Math.max(-60, Math.min(12, s.gainDb + by)), dim: false }));
const dim = () => useListening.setState((s) => ({ dim: !s.dim }));
const speeds = [0.5, 1, 2] as const;
const nextSpeed = () =>
  useListening.setState((s) => ({ speed: speeds[(speeds.indexOf(s.speed) + 1) % speeds.length] ?? 1 }));

const modeName = (w: MonitorMode) => (w.kind === "pair" ? `pair ${w.pair}` : w.kind === "alone" ? "alone" : w.kind);

/** What Space would do in the stage that is shown. */
function offered(s: { lists: Record<string, Command[]> }): string {
  const c = Object.values(s.lists)
    .flat()
    .find((c) => c.key === " ");
  if (!c) return "";
  const says = c.offers ?? c.name.replace(/[,;] or stop$/, "");
  return says.charAt(0).toLowerCase() + says.slice(1);
}

const lufs = (v: number) => (Number.isFinite(v) ? v.toFixed(1).replace("-", "−") : "–");

/** Loudness of what is heard, folded down to two sides, since it was taken up. */
function LiveLoudness() {
  const l = useMonitor((m) => m.loudness);
  if (!l) return <div className="w-[132px]" />;
  return (
    <dl
      aria-label="Loudness heard"
      title="Of what is heard, folded down to two sides, since it was taken up: momentary (0.4 s), short-term (3 s), integrated, and the greatest true peak"
      className="figures grid w-[132px] grid-cols-2 text-quiet text-small"
    >
      {(
        [
          ["M", "momentary", lufs(l.momentary), "LUFS"],
          ["S", "short-term", lufs(l.shortTerm), "LUFS"],
          ["I", "integrated", lufs(l.integrated), "LUFS"],
          ["TP", "true peak", lufs(l.truePeak), "dBTP"],
        ] as const
      ).map(([short, name, v, unit]) => (
        <div key={short} className="flex gap-1" title={`${name}, ${unit}`}>
          <dt>{short}</dt>
          <dd>{v}</dd>
        </div>
      ))}
    </dl>
  );
}

/** What is heard, from where, how and how loud. It stays in place when the stage changes. */
export function MonitorStrip({ production }: { production: Production }) {
  const m = useMonitor();
  const s = useListening();
  const h = m.hearing;
  const most = Math.max(0, ...m.readings.map((r) => r.peak));
  const ppm = Math.max(0, ...m.readings.map((r) => r.ppm));
  const held = decibels(Math.max(0, ...m.held));
  const now = decibels(most);
  const clipped = m.clipped.flatMap((c, i) => (c ? [i] : []));
  const list = useMemo<Command[]>(
    () => [
      { id: "softer", name: "Listen softer", key: "F7", run: () => louder(-steps) },
      { id: "dim", name: "Dim what is heard, or no longer", key: "F8", run: dim },
      { id: "louder", name: "Listen louder", key: "F9", run: () => louder(steps) },
      { id: "speed", name: "Listen at half, whole or double speed", key: "F4", run: nextSpeed },
      {
        id: "pitch",
        name: "Keep the pitch at half and double speed, or let it follow",
        run: () => useListening.setState((s) => ({ keepPitch: !s.keepPitch })),
      },
      {
        id: "headphones",
        name: "Hear reels on headphones as from their speakers, or folded down",
        run: () => setHeadphones(!useListening.getState().headphones),
      },
      { id: "clips", name: "Put the clip lights out", run: clearClips },
      { id: "loop-end", name: "Leave the loop", run: () => setLoop(undefined) },
    ],
    [],
  );
  useCommandList("Monitor", list);
  const channels = h?.labels.length ?? 0;
  const offer = useCommands(offered);
  return (
    <section
      aria-label="Monitor"
      data-delay={m.delay ?? undefined}
      data-gaps={m.gaps}
      data-rounds={m.rounds}
      className="flex h-14 shrink-0 items-center gap-3 border-line border-t bg-panel px-4"
    >
      <div className={`min-w-0 ${h ? "w-[256px]" : "w-[340px]"}`}>
        <p className="truncate" data-testid="hearing" title={h?.says}>
          {m.error ? (
            <span className="text-bad" title={m.error}>
              {m.error}
            </span>
          ) : h ? (
            <>
              Hearing <strong>{h.says}</strong>
              {m.latched && <span className="text-quiet"> (kept)</span>}
            </>
          ) : (
            <span className="text-quiet">
              {offer ? `Silent. Space: ${offer}` : "Silent. Space plays nothing on this stage."}
            </span>
          )}
        </p>
        {h && (
          <p className="truncate text-quiet text-small" data-testid="way" title={m.mode}>
            {m.mode}
            {m.gains.some((g) => g !== 0) && `; matched by ${m.gains.map(gain).join(", ")}`}
          </p>
        )}
      </div>
      <p className="figures w-24 text-quiet">
        {h &&
          (h.start !== null
            ? timecodeAt(h.start + m.at, h.sampleRate, h.rate ?? production.rate)
            : `${(m.at / h.sampleRate).toFixed(2)} s`)}
        {h?.loop && <span className="block text-focus text-small">in a loop</span>}
      </p>
      <div className="w-36">
        <Meters channels={channels} />
      </div>
      <div
        role="meter"
        aria-label="Level heard"
        aria-valuemin={floor}
        aria-valuemax={0}
        aria-valuenow={Math.round(now === null ? floor : Math.max(floor, Math.min(0, now)))}
        aria-valuetext={now === null ? "silent" : `${dbfs(now)} dBFS`}
        className="figures w-[124px] whitespace-nowrap text-small"
      >
        {h && (
          <>
            <span className="block text-quiet">
              PPM {ppm > 0 ? Math.max(0, 4 + (20 * Math.log10(ppm) + 18) / 4).toFixed(1) : "0.0"}
            </span>
            <span className="block text-quiet">peak {dbfs(held)} dBFS</span>
          </>
        )}
      </div>
      <LiveLoudness />
      <button
        type="button"
        onClick={clearClips}
        disabled={clipped.length === 0}
        aria-label={
          clipped.length > 0
            ? `Full scale was reached by ${clipped.map((c) => h?.labels[c] ?? `channel ${c + 1}`).join(", ")}: put the lights out`
            : "No clipping was heard"
        }
        title={
          clipped.length > 0
            ? `Full scale was reached by ${clipped.map((c) => h?.labels[c] ?? c + 1).join(", ")}; click to put the light out`
            : "Lights when a sample that is heard reaches full scale"
        }
        className={`h-6 w-10 text-small ${clipped.length > 0 ? "bg-bad font-semibold text-on-focus" : "bg-ground text-quiet"}`}
      >
        clip
      </button>
      <span className="flex-1" />
      {h && channels > 1 && !("pair" in h.of) && !("reel" in h.of && h.of.headphones) && (
        <Choice
          aria-label="How it is heard"
          value={modeName(h.mode)}
          onChange={(e) => {
            const v = e.target.value;
            setMode(
              v.startsWith("pair ")
                ? { kind: "pair", pair: Number(v.slice(5)) }
                : v === "direct"
                  ? { kind: "direct" }
                  : { kind: "fold" },
            );
          }}
          className="w-32"
        >
          <option value="fold">folded down</option>
          {h.mode.kind === "alone" && <option value="alone">one alone</option>}
          {Array.from({ length: Math.ceil(channels / 2) }, (_, i) => (
            <option key={i} value={`pair ${i}`}>
              {h.labels
                .slice(2 * i, 2 * i + 2)
                .map((l, k) => l || 2 * i + k + 1)
                .join(" | ")}
            </option>
          ))}
          {s.outputs > 2 && <option value="direct">{s.outputs} outputs, one to one</option>}
        </Choice>
      )}
      <button
        type="button"
        aria-pressed={s.headphones}
        aria-label="On headphones"
        title="Reels on headphones: their speakers as a head in their midst hears them"
        onClick={() => setHeadphones(!s.headphones)}
        className={`flex h-7 w-8 items-center justify-center ${s.headphones ? "bg-raised text-focus" : "bg-raised text-quiet hover:bg-line"}`}
      >
        <Headphones size={15} aria-hidden="true" />
      </button>
      <Choice
        aria-label="Speed"
        title="Speed of listening (F4)"
        value={`${s.speed}${s.keepPitch ? "" : " follows"}`}
        onChange={(e) => {
          const [speed, follows] = e.target.value.split(" ");
          useListening.setState({ speed: Number(speed) as 0.5 | 1 | 2, keepPitch: !follows });
        }}
        className="w-[74px]"
      >
        <option value="1">1×</option>
        <option value="0.5">½×</option>
        <option value="2">2×</option>
        <option value="0.5 follows">½×, pitch follows</option>
        <option value="2 follows">2×, pitch follows</option>
        {s.speed === 1 && !s.keepPitch && <option value="1 follows">1×</option>}
      </Choice>
      <div className="flex items-center">
        <button
          type="button"
          aria-label="Listen softer"
          title="Listen softer (F7)"
          onClick={() => louder(-steps)}
          className="flex h-7 w-6 items-center justify-center bg-raised hover:bg-line"
        >
          <Volume1 size={14} aria-hidden="true" />
        </button>
        <span className="figures w-[72px] text-center text-small" title="Monitor gain: never part of what is delivered">
          {gain(s.gainDb + (s.dim ? dimDb : 0))}
        </span>
        <button
          type="button"
          aria-label="Listen louder"
          title="Listen louder (F9)"
          onClick={() => louder(steps)}
          className="flex h-7 w-6 items-center justify-center bg-raised hover:bg-line"
        >
          <Volume2 size={14} aria-hidden="true" />
        </button>
      </div>
      <button
        type="button"
        aria-pressed={s.dim}
        title="Dim what is heard, or no longer (F8)"
        onClick={dim}
        className={`h-7 w-10 text-small ${s.dim ? "bg-caution font-semibold text-on-focus" : "bg-raised hover:bg-line"}`}
      >
        dim
      </button>
      <button
        type="button"
        aria-label="Stop listening"
        title={h ? "Stop listening (Escape)" : "Stop listening: nothing is heard now"}
        onClick={stop}
        disabled={!h}
        className="flex h-7 w-7 items-center justify-center text-ink hover:text-focus disabled:opacity-30"
      >
        <Square size={14} />
      </button>
    </section>
  );
}
