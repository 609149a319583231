import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, must, type Reel } from "../../api/client";
import { useMoment } from "../../editor/moment";
import { useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { colourOf, weaveOf } from "../../ui/stems";
import { chooseBus, useWeaveChoice } from "./choice";
import { LayoutName } from "./LayoutName";

const seconds = 5; // of readings at once
const parts = 100;
const often = 50; // ms between two looks while it plays
const floor = -60; // dB
const high = 20; // px
const wide = 5; // px of a channel

/** The buses of a weave: each is chosen here, and has a meter a channel while the reel is heard as it is routed. */
export function BusBar({ reel }: { reel: Reel }) {
  const { what, bus } = useWeaveChoice();
  const routed = useMonitor((s) => {
    const of = s.hearing?.of;
    return !!of && "reel" in of && of.reel === reel.id && !of.track && !of.bus && !of.identify;
  });
  return (
    <div
      role="toolbar"
      aria-label="Buses"
      className="flex shrink-0 flex-wrap items-center gap-1 border-line border-b px-4 py-1.5"
    >
      {reel.doc.weave.buses.map((b) => (
        <button
          key={b.id}
          type="button"
          aria-pressed={what === "bus" && b.id === bus}
          onClick={() => chooseBus(b.id)}
          className={`ticket flex items-center gap-1.5 px-2 py-0.5 ${what === "bus" && b.id === bus ? "bg-line" : "bg-panel"} ${b.role === "part" ? "ml-[-2px] text-small" : ""}`}
        >
          <span aria-hidden="true" className={`h-3 w-3 ${weaveOf(b)}`} style={{ color: colourOf(b) }} />
          {b.name}
          <span className="text-quiet text-small">
            <LayoutName name={b.layout} />
          </span>
          {routed && (
            <span aria-hidden="true">
              <canvas data-bus={b.id} className="block" style={{ height: high }} />
            </span>
          )}
        </button>
      ))}
      {routed && <Levels reel={reel} />}
    </div>
  );
}

/** Draws the meters of buses beside it, by what the server reads of the stretch that plays. */
function Levels({ reel }: { reel: Reel }) {
  const mark = useRef<HTMLSpanElement>(null);
  const client = useQueryClient();
  const at = useMoment(reel.id, often);
  const solo = useEditor((s) => s.solo);
  const mute = useEditor((s) => s.mute);
  const length = seconds * reel.sample_rate;
  const nth = Math.floor(at / length);
  const options = (n: number) => ({
    queryKey: ["meters", reel.id, reel.version, n, [...solo].join(), [...mute].join()],
    queryFn: () =>
      must(
        api.GET("/api/reels/{reel}/meters", {
          params: {
            path: { reel: reel.id },
            query: {
              from: n * length,
              to: (n + 1) * length,
              points: parts,
              ...(solo.size > 0 ? { solo: [...solo].join() } : {}),
              ...(mute.size > 0 ? { mute: [...mute].join() } : {}),
            },
          },
        }),
      ),
    gcTime: 30_000,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const { data, isPlaceholderData } = useQuery({ ...options(nth), enabled: at > 0, placeholderData: keepPreviousData });
  // What comes next is read before it is heard.
  const later = at > 0 && at - nth * length > length / 4;
  useEffect(() => {
    if (later) void client.prefetchQuery(options(nth + 1));
  }, [later, nth, reel.version, solo, mute]);
  useEffect(() => {
    const bar = mark.current?.parentElement;
    if (!bar) return;
    const style = getComputedStyle(bar);
    const colour = (name: string) => style.getPropertyValue(name);
    const part = isPlaceholderData ? -1 : Math.floor(((at - nth * length) / length) * parts);
    for (const c of bar.querySelectorAll<HTMLCanvasElement>("canvas[data-bus]")) {
      const m = data?.find((m) => m.bus === c.dataset.bus);
      const b = reel.doc.weave.buses.find((b) => b.id === c.dataset.bus);
      const channels = m?.ppm.length ?? 1;
      const ratio = window.devicePixelRatio || 1;
      c.width = channels * wide * ratio;
      c.height = high * ratio;
      c.style.width = `${channels * wide}px`;
      const g = c.getContext("2d");
      if (!g) continue;
      g.scale(ratio, ratio);
      const rows = Math.floor(high / 3);
      const lit = (colourOf(b).match(/--[a-z]+/)?.[0] ?? "--ink") as string;
      for (let k = 0; k < channels; k++) {
        const db = m?.ppm[k]?.[part] ?? floor;
        const on = Math.round(Math.max(0, Math.min(1, 1 - db / floor)) * rows);
        for (let r = 0; r < rows; r++) {
          g.fillStyle = r < on ? colour(lit) : colour("--line");
          g.fillRect(k * wide, high - (r + 1) * 3, wide - 1, 2);
        }
        const peak = m?.peak[k]?.[part] ?? floor;
        if (peak > floor) {
          g.fillStyle = colour("--ink");
          g.fillRect(k * wide, high - (1 - peak / floor) * (high - 1) - 1, wide - 1, 1);
        }
        if (m?.over[k]) {
          g.fillStyle = colour("--bad");
          g.fillRect(k * wide, 0, wide - 1, 2);
        }
      }
    }
  });
  return <span ref={mark} className="sr-only">{`Meters of ${data?.length ?? 0} buses`}</span>;
}
