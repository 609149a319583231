import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { dragged, movedTo, without } from "../../editor/curve";
import { valueAt } from "../../timeline/curve";
import { coloursAt, fitted, gainAt, gainY } from "./paintStrip";

type Curve = Schemas["Curve"];

type Props = {
  name: string;
  gain: Curve;
  rate: number;
  high: number;
  /** The samples that the strip shows. */
  from: number;
  to: number;
  save: (c: Curve, what: string) => void;
};

const near = 7; // pixels

/** The slow gain of a correction over a strip: points are dragged, put and taken away. */
export function GainOver({ name, gain, rate, high, from, to, save }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [drag, setDrag] = useState<{ index: number; gain: Curve } | null>(null);
  const shown = drag?.gain ?? gain;
  const wide = () => canvas.current?.clientWidth ?? 1;
  const x = (at: number) => ((at - from) / (to - from)) * wide();
  const at = (px: number) => Math.round(from + (px / wide()) * (to - from));
  useEffect(() => {
    const c = canvas.current;
    const g = c && fitted(c, high);
    if (!c || !g) return;
    const { caution, line } = coloursAt(c);
    const px = (at: number) => ((at - from) / (to - from)) * c.clientWidth;
    g.strokeStyle = line;
    g.beginPath();
    g.moveTo(0, gainY(0, high) + 0.5);
    g.lineTo(c.clientWidth, gainY(0, high) + 0.5);
    g.stroke();
    g.strokeStyle = caution;
    g.lineWidth = 1.5;
    g.beginPath();
    for (let i = 0; i <= c.clientWidth; i++)
      g.lineTo(i, gainY(shown.length > 0 ? valueAt(shown, from + (i / c.clientWidth) * (to - from)) : 0, high));
    g.stroke();
    g.fillStyle = caution;
    for (const p of shown) if (p.at >= from && p.at <= to) g.fillRect(px(p.at) - 3, gainY(p.value, high) - 3, 7, 7);
  }, [shown, from, to, high]);
  const pointAt = (e: { nativeEvent: { offsetX: number; offsetY: number } }) =>
    shown.findIndex(
      (p) =>
        Math.abs(x(p.at) - e.nativeEvent.offsetX) <= near &&
        Math.abs(gainY(p.value, high) - e.nativeEvent.offsetY) <= near,
    );
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={`Slow gain of ${name}, ${shown.length} points`}
      style={{ height: high }}
      className="absolute inset-0 block w-full touch-none cursor-crosshair"
      onPointerDown={(e) => {
        e.stopPropagation();
        let index = pointAt(e);
        let g = shown;
        if (index < 0) {
          const place = at(e.nativeEvent.offsetX);
          g = movedTo(shown, place, gainAt(e.nativeEvent.offsetY, high), rate);
          index = g.findIndex((p) => p.at === place);
        }
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrag({ index, gain: g });
      }}
      onPointerMove={(e) => {
        if (drag)
          setDrag({
            index: drag.index,
            gain: dragged(drag.gain, drag.index, at(e.nativeEvent.offsetX), gainAt(e.nativeEvent.offsetY, high)),
          });
      }}
      onPointerUp={() => {
        if (drag && JSON.stringify(drag.gain) !== JSON.stringify(gain))
          save(drag.gain, `draw the slow gain of ${name}`);
        setDrag(null);
      }}
      onDoubleClick={(e) => {
        const p = shown[pointAt(e)];
        if (p) save(without(shown, p.at), `take a point of the slow gain of ${name} away`);
      }}
    />
  );
}
