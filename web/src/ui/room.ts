import { type RefObject, useEffect, useState } from "react";

/**
 * The pixels that an element has inside, as they change; 0 before it is there. An element that comes and goes is looked
 * for again whenever `again` changes.
 */
export function useRoom(
  of: RefObject<HTMLElement | null>,
  side: "clientWidth" | "clientHeight",
  again?: unknown,
): number {
  const [room, setRoom] = useState(0);
  useEffect(() => {
    const el = of.current;
    if (!el) return;
    const o = new ResizeObserver(() => setRoom(el[side]));
    o.observe(el);
    return () => o.disconnect();
  }, [of, side, again]);
  return room;
}
