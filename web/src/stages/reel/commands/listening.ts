import { useEditor } from "../../../editor/store";
import { chosenTracks } from "../../../editor/targets";
import { hearAlone } from "../../../timeline/Heads";
import type { Command } from "../../../ui/commands";
import { playOrStop, playSpan, playTrack } from "../hearing";

import type { ReelContext } from "./context";

/** What is heard: listening only, it changes nothing that is delivered. */
export function listening({ reel, rows }: ReelContext): Command[] {
  const first = () => rows.find((r) => r.track.id === chosenTracks(rows)[0]?.id);
  return [
    {
      id: "play",
      name: "Hear the reel from the pointer, or stop",
      key: " ",
      offers: "hear the reel from the pointer",
      run: () => playOrStop(reel),
    },
    { id: "loop", name: "Hear the span over and over, or no longer", key: "l", run: () => playSpan(reel) },
    { id: "track alone", name: "Hear this track alone from the pointer", run: () => playTrack(reel, first()) },
    {
      id: "solo",
      name: "Hear only the chosen tracks, or all again",
      key: "r",
      run: () => hearAlone(chosenTracks(rows).map((t) => t.id)),
    },
    {
      id: "mute",
      name: "Listen without the chosen tracks, or with them again",
      run: () =>
        useEditor.setState((s) => {
          const mute = new Set(s.mute);
          for (const t of chosenTracks(rows)) if (!mute.delete(t.id)) mute.add(t.id);
          return { mute };
        }),
    },
    {
      id: "all",
      name: "Hear all tracks again",
      run: () => useEditor.setState({ solo: new Set(), mute: new Set() }),
    },
  ];
}
