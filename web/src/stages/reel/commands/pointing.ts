import { point, useEditor } from "../../../editor/store";
import { chosenTracks, edgeFrom } from "../../../editor/targets";
import { scrollTo, viewNow } from "../../../timeline/view";
import type { Command } from "../../../ui/commands";
import { jog } from "../hearing";
import { here, type ReelContext } from "./context";

/** Where the pointer goes, and which track is chosen. */
export function pointing({ production: pr, reel, rows, size }: ReelContext): Command[] {
  const frame = (pr.sample_rate * pr.rate.den) / pr.rate.num;
  const by = (samples: number) => () => point(useEditor.getState().pointer + samples);
  const edge = (later: boolean) => () => {
    const to = edgeFrom(chosenTracks(rows), useEditor.getState().pointer, later);
    if (to !== null) point(to);
  };
  const track = (step: number) => () => {
    const i = rows.findIndex((r) => r.track.id === chosenTracks(rows)[0]?.id);
    const next = rows[Math.max(0, Math.min(rows.length - 1, i + step))];
    if (next) useEditor.setState({ tracks: [next.track.id] });
  };
  return [
    { id: "next", name: "Next track", key: "ArrowDown", run: track(1) },
    { id: "before", name: "Track before", key: "ArrowUp", run: track(-1) },
    { id: "later", name: "Pointer a frame later", key: "ArrowRight", run: by(frame) },
    { id: "earlier", name: "Pointer a frame earlier", key: "ArrowLeft", run: by(-frame) },
    { id: "jog later", name: "Pointer a frame later, heard", key: "mod+ArrowRight", run: () => jog(reel, frame) },
    { id: "jog earlier", name: "Pointer a frame earlier, heard", key: "mod+ArrowLeft", run: () => jog(reel, -frame) },
    { id: "second later", name: "Pointer a second later", key: "shift+ArrowRight", run: by(pr.sample_rate) },
    { id: "second earlier", name: "Pointer a second earlier", key: "shift+ArrowLeft", run: by(-pr.sample_rate) },
    { id: "next edge", name: "Pointer to the next edge", key: "n", run: edge(true) },
    { id: "edge before", name: "Pointer to the previous edge", key: "p", run: edge(false) },
    { id: "start", name: "Pointer to the start of the reel", key: "Home", run: () => point(reel.worked_out.start) },
    { id: "end", name: "Pointer to the end of the reel", key: "End", run: () => point(reel.worked_out.end) },
    {
      id: "go",
      name: "Go to a timecode, or so far on",
      key: "g",
      run: () => document.getElementById("pointer-position")?.focus(),
    },
    {
      id: "here",
      name: "Pointer to where it sounds",
      run: () => {
        point(here(reel));
        const v = viewNow(size.width, size.height);
        scrollTo(reel, here(reel) - v.width / v.px / 2, v);
      },
    },
  ];
}
