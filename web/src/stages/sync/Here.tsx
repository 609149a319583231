import { useEffect, useRef } from "react";
import { position } from "../../listening/engine";
import type { View } from "./view";

/** Where it sounds now, drawn with every frame of the screen. */
export function Here({ view, rate }: { view: View; rate: number }) {
  const line = useRef<HTMLDivElement>(null);
  const seen = useRef(view);
  seen.current = view;
  useEffect(() => {
    let next = 0;
    const draw = () => {
      const part = (position() / rate - seen.current.centre) / seen.current.span + 0.5;
      if (line.current) {
        line.current.style.left = `${part * 100}%`;
        line.current.style.visibility = part >= 0 && part <= 1 ? "visible" : "hidden";
      }
      next = requestAnimationFrame(draw);
    };
    draw();
    return () => cancelAnimationFrame(next);
  }, [rate]);
  return <div ref={line} className="pointer-events-none absolute inset-y-0 w-0.5 bg-bad" />;
}
