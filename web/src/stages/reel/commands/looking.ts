import { showWhole, useEditor } from "../../../editor/store";
import { targets } from "../../../editor/targets";
import { fold } from "../../../timeline/Heads";
import { look, meant, named, setHeights, step } from "../../../timeline/heights";
import { viewNow, zoomAbout } from "../../../timeline/view";
import type { Command } from "../../../ui/commands";
import { here, type ReelContext } from "./context";

/** What of the reel is in view. */
export function looking({ reel, rows, size }: ReelContext): Command[] {
  const view = () => viewNow(size.width, size.height);
  const ids = (list: typeof rows) => list.map((r) => r.track.id);
  const tall = (height: number) => setHeights(ids(meant(rows)), height);
  const higher = (up: boolean) => () => {
    for (const r of meant(rows)) setHeights([r.track.id], step(r.height, up, size.height));
  };
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
    {
      id: "taller",
      name: "Taller tracks: those that are chosen, or all",
      key: "mod+shift+ArrowUp",
      run: higher(true),
    },
    {
      id: "lower",
      name: "Lower tracks: those that are chosen, or all",
      key: "mod+shift+ArrowDown",
      run: higher(false),
    },
    {
      id: "hairline",
      name: "Tracks as low as a hairline",
      run: () => tall(named.hairline),
    },
    { id: "one row", name: "Tracks as tall as one row", run: () => tall(named.row) },
    { id: "three rows", name: "Tracks as tall as three rows", run: () => tall(named.rows) },
    { id: "window", name: "Tracks as tall as the window", run: () => tall(size.height) },
    {
      id: "share",
      name: "All tracks share the window again",
      run: () => useEditor.setState({ heights: {}, top: 0 }),
    },
    {
      id: "louder to the eye",
      name: "Draw waveforms louder, to the eye alone",
      key: "*",
      run: () => look(ids(meant(rows)), 1),
    },
    {
      id: "softer to the eye",
      name: "Draw waveforms softer, to the eye alone",
      key: "/",
      run: () => look(ids(meant(rows)), -1),
    },
    {
      id: "as loud as it is",
      name: "Draw all waveforms as loud as they are",
      run: () => useEditor.setState({ louder: {} }),
    },
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
