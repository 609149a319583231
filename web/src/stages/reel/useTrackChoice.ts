import { useCallback, useMemo, useState } from "react";
import type { Reel, Track } from "../../api/client";
import { useEditor } from "../../editor/store";
import type { Command } from "../../ui/commands";
import { bands } from "./layout";

/** The tracks of a reel in bands, the one that is chosen, and the arrow keys that choose another. */
export function useTrackChoice(reel: Reel | undefined) {
  // It begins with the track that was chosen elsewhere, in Reel or by a snag; what is chosen here is chosen there, too.
  const [chosen, setHere] = useState(() => useEditor.getState().tracks[0] ?? "");
  const setChosen = useCallback((id: string) => {
    setHere(id);
    // Of several, it becomes the first of them.
    useEditor.setState(({ tracks }) => ({
      tracks: tracks.includes(id) ? [id, ...tracks.filter((t) => t !== id)] : [id],
    }));
  }, []);
  const rows = useMemo(() => (reel ? bands(reel) : []), [reel]);
  const index = Math.max(
    0,
    rows.findIndex((t) => t.id === chosen),
  );
  const track: Track | undefined = rows[index];
  const arrows = useMemo<Command[]>(() => {
    const step = (by: number) => () => setChosen(rows[index + by]?.id ?? rows[index]?.id ?? "");
    return [
      { id: "next", name: "Next track", key: "ArrowDown", run: step(1) },
      { id: "before", name: "Track before", key: "ArrowUp", run: step(-1) },
    ];
  }, [rows, index, setChosen]);
  return { rows, index, track, choose: setChosen, arrows };
}
