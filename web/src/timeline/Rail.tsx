import { useCallback, useEffect, useRef } from "react";
import type { Reel } from "../api/client";
import { stemOf } from "../editor/routes";
import { useEditor } from "../editor/store";
import { kindOf } from "../ui/stems";
import type { Colours } from "./colours";
import type { Row, View } from "./geometry";
import { headWidth } from "./place";
import { useLayer } from "./useLayer";
import { fitting, scrollTo } from "./view";

type Props = { reel: Reel; rows: Row[]; colours: Colours; view: () => View };

/** The whole reel in small, with what is in view: a press or a drag goes there. */
export function Rail({ reel, rows, colours, view }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { start, end } = reel.worked_out;
  const { canvas, redraw } = useLayer(
    useCallback(
      (g, width, height) => {
        const px = fitting(end - start, width);
        const line = Math.max(1, Math.min(4, (height - 4) / Math.max(1, rows.length)));
        for (const [i, r] of rows.entries()) {
          g.fillStyle = r.track.off ? colours.quiet : colours.stem(kindOf(stemOf(reel, r.track.id)));
          g.globalAlpha = r.track.off ? 0.4 : 0.85;
          const y = 2 + (i * (height - 4)) / Math.max(1, rows.length);
          for (const c of r.track.clips)
            g.fillRect((c.at - start) * px, y, Math.max(1, c.length * px - 0.5), line * 0.7);
        }
        g.globalAlpha = 1;
        const v = view();
        const s = useEditor.getState();
        if (s.px > 0) {
          const a = (v.from - start) * px;
          const b = Math.max(3, (v.width / v.px) * px);
          g.fillStyle = colours.focus;
          g.globalAlpha = 0.12;
          g.fillRect(a, 0, b, height);
          g.globalAlpha = 1;
          g.strokeStyle = colours.focus;
          g.strokeRect(a + 0.5, 0.5, b - 1, height - 1);
        }
        g.fillStyle = colours.ink;
        g.fillRect((s.pointer - start) * px, 0, 1, height);
      },
      [reel, rows, colours, view, start, end],
    ),
  );
  useEffect(() => useEditor.subscribe(redraw), [redraw]);
  const go = (e: React.PointerEvent) => {
    if (e.buttons === 0 || !box.current) return;
    const r = box.current.getBoundingClientRect();
    const v = view();
    const at = start + (e.clientX - r.left) / fitting(end - start, r.width);
    if (useEditor.getState().px > 0) scrollTo(reel, at - v.width / v.px / 2, v);
    else useEditor.setState({ pointer: Math.max(start, Math.min(end, Math.round(at))) });
  };
  return (
    <div className="flex h-7 shrink-0 border-line border-b bg-ground">
      <div
        className="flex shrink-0 items-center border-line border-r px-3 text-quiet text-small"
        style={{ width: headWidth }}
      >
        Whole reel
      </div>
      <div
        ref={box}
        className="relative min-w-0 flex-1 cursor-pointer touch-none"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          go(e);
        }}
        onPointerMove={go}
      >
        <div aria-hidden="true" className="absolute inset-0">
          <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
        </div>
      </div>
    </div>
  );
}
