import { showWhole, useEditor } from "../../../editor/store";
import { targets } from "../../../editor/targets";
import { fold } from "../../../timeline/Heads";
import { viewNow, zoomAbout } from "../../../timeline/view";
import type { Command } from "../../../ui/commands";
import { here, type ReelContext } from "./context";

/** What of the reel is in view. */
export function looking({ reel, rows, size }: ReelContext): Command[] {
  const view = () => viewNow(size.width, size.height);
  return [
    { id: "in", name: "Zoom in", key: "+", run: () => zoomAbout(reel, view(), 2, here(reel)) },
    { id: "out", name: "Zoom out", key: "-", run: () => zoomAbout(reel, view(), 0.5, here(reel)) },
    {
      id: "fold",
      name: "Fold the chosen tracks into one lane each, or show a lane a channel",
      key: "mod+shift+f",
      run: () => {
        const { tracks } = useEditor.getState();
        fold(rows.filter((r) => tracks.length === 0 || tracks.includes(r.track.id)));
      },
    },
    { id: "fold all", name: "Fold all wide tracks, or show a lane a channel", run: () => fold(rows) },
    { id: "fit", name: "Show the whole reel", key: "w", run: () => showWhole(reel.worked_out) },
    {
      id: "zoom",
      name: "Zoom to the span, or to what is chosen",
      key: "z",
      run: () => {
        const { span } = useEditor.getState();
        const clips = targets(rows);
        const from = span?.from ?? Math.min(...clips.map((l) => l.clip.at));
        const to = span?.to ?? Math.max(...clips.map((l) => l.clip.at + l.clip.length));
        if (!Number.isFinite(from) || to <= from) return;
        const px = Math.min(40, (0.9 * size.width) / (to - from));
        useEditor.setState({ px, from: Math.max(0, from - (0.05 * size.width) / px) });
      },
    },
  ];
}
