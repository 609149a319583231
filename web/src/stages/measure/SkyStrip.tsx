import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, must, type Production, type Reel } from "../../api/client";
import { point } from "../../editor/store";
import { timecodeIn } from "../../timeline/place";
import { useTheme } from "../../ui/theme";
import { coloursAt, fitted, type Tenths } from "./paintStrip";

type Props = {
  production: Production;
  reel: Reel;
  /** A bus that is a sound field. */
  bus: { bus: string; name: string };
  /** The first sample of the strips, and what of them is in view. */
  start: number;
  view: Tenths;
};

const high = 108;
const parts = 300;
/** dB under the loudest direction at which nothing is drawn. */
const depth = 24;

/**
 * From where the energy of a sound field comes over time: behind to the left at the top, ahead in the middle, behind to the right at the
 * bottom; the brighter, the louder.
 */
export function SkyStrip({ production, reel, bus, start, view }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme((s) => s.theme);
  const [over, setOver] = useState<{ x: number; y: number } | null>(null);
  const rate = production.sample_rate;
  const from = Math.max(0, start + Math.round((view.from * rate) / 10));
  const to = Math.max(from + parts, start + Math.round((view.to * rate) / 10));
  const { data: sky } = useQuery({
    queryKey: ["sky", reel.id, reel.version, bus.bus, from, to],
    queryFn: () =>
      must(
        api.GET("/api/reels/{reel}/sky", {
          params: { path: { reel: reel.id }, query: { of: bus.bus, from, to, parts } },
        }),
      ),
    placeholderData: (before) => before,
  });
  useEffect(() => {
    const c = canvas.current;
    const g = c && fitted(c, high);
    if (!c || !g) return;
    const { focus, quiet } = coloursAt(c);
    g.clearRect(0, 0, c.clientWidth, high);
    if (sky) {
      const most = Math.max(-60, ...sky.around.flat());
      const wide = c.clientWidth / sky.around.length;
      const tall = high / sky.azimuths.length;
      g.fillStyle = focus;
      for (const [k, levels] of sky.around.entries())
        for (const [a, level] of levels.entries()) {
          const share = 1 + (level - most) / depth;
          if (share <= 0) continue;
          g.globalAlpha = share ** 2;
          // What lies furthest to the left is at the top.
          const [x, y] = [Math.round(k * wide), Math.round(high - (a + 1) * tall)];
          g.fillRect(x, y, Math.round((k + 1) * wide) - x, Math.round(high - a * tall) - y);
        }
      g.globalAlpha = 1;
    }
    g.fillStyle = quiet;
    g.globalAlpha = 0.4;
    for (const share of [0.25, 0.5, 0.75]) g.fillRect(0, Math.round(share * high), c.clientWidth, 1);
    g.globalAlpha = 1;
  }, [sky, theme]);
  const read = (() => {
    const c = canvas.current;
    if (!over || !sky || !c) return "";
    const k = Math.min(sky.around.length - 1, Math.floor((over.x / c.clientWidth) * sky.around.length));
    const levels = sky.around[k] ?? [];
    const a = levels.indexOf(Math.max(...levels));
    const at = sky.azimuths[a] ?? 0;
    const up = sky.up[k] ?? [];
    const h = sky.heights[up.indexOf(Math.max(...up))] ?? 0;
    const place = timecodeIn(production, Math.round(from + ((to - from) * k) / sky.around.length));
    if ((levels[a] ?? -100) <= -100) return `${place}\nsilence`;
    const side = at === 0 ? "ahead" : Math.abs(at) === 180 ? "behind" : `${Math.abs(at)}° ${at > 0 ? "left" : "right"}`;
    return `${place}\nmost from ${side}${h ? `, ${Math.abs(h)}° ${h > 0 ? "up" : "down"}` : ""}\n${(levels[a] ?? 0).toFixed(1).replace("-", "−")} dBFS`;
  })();
  return (
    <div className="flex border-line border-b">
      <div className="w-36 shrink-0 px-3">
        <span className="block truncate" title={bus.name}>
          {bus.name}, from where
        </span>
        <output className="figures block whitespace-pre-wrap text-quiet text-small">{read}</output>
      </div>
      <span aria-hidden="true" className="relative w-7 shrink-0 text-quiet text-small" style={{ height: high }}>
        {[
          ["L", 0.25],
          ["0°", 0.5],
          ["R", 0.75],
        ].map(([says, share]) => (
          <span key={says} className="absolute right-1" style={{ top: Number(share) * high - 9 }}>
            {says}
          </span>
        ))}
      </span>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`From where the sound of ${bus.name} comes over time`}
        style={{ height: high }}
        className="block min-w-0 flex-1 cursor-crosshair"
        onPointerMove={(e) => setOver({ x: e.nativeEvent.offsetX, y: e.nativeEvent.offsetY })}
        onPointerLeave={() => setOver(null)}
        onPointerDown={(e) =>
          point(Math.round(from + ((to - from) * e.nativeEvent.offsetX) / e.currentTarget.clientWidth))
        }
      />
      <span aria-hidden="true" className="w-20 shrink-0" />
    </div>
  );
}
