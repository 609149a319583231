import { useCallback, useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { columns, type Place } from "./cells";

const first: Place = { row: 0, col: columns.length };

/**
 * The cursor of the sheet (`place`), and the other end of what is chosen (`from`): they stay on their takes while rows come
 * and go. `onOther` is told when the cursor goes to another take.
 */
export function useTakeCursor(takes: Take[], onOther: () => void) {
  const [at, setAt] = useState(first);
  const [anchor, setAnchor] = useState(first);
  const kept = useRef("");
  const keptAnchor = useRef("");
  const row = useMemo(() => {
    const now = takes.findIndex((t) => t.id === kept.current);
    return now >= 0 ? now : Math.min(at.row, Math.max(0, takes.length - 1));
  }, [takes, at.row]);
  const place = useMemo(() => ({ row, col: at.col }), [row, at.col]);
  const from = useMemo(() => {
    if (anchor.row === at.row) return { row, col: anchor.col };
    const now = takes.findIndex((t) => t.id === keptAnchor.current);
    return { row: now >= 0 ? now : row, col: anchor.col };
  }, [anchor, at.row, row, takes]);
  const move = useCallback(
    (to: Place, anchor: Place) => {
      if (kept.current !== (takes[to.row]?.id ?? "")) onOther();
      kept.current = takes[to.row]?.id ?? "";
      keptAnchor.current = takes[anchor.row]?.id ?? "";
      setAt(to);
      setAnchor(anchor);
    },
    [takes, onOther],
  );
  return { place, from, move };
}
