import { hearAll, hearAlone, hearWithout } from "../../../editor/heard";
import { stemOf } from "../../../editor/routes";
import { chosenTracks } from "../../../editor/targets";
import type { Command } from "../../../ui/commands";
import { note } from "../../../ui/notes";
import { playOrStop, playSpan, playTrack } from "../hearing";
import { ids, type ReelContext, withClips } from "./context";

/** What is heard: listening only, it changes nothing that is delivered. */
export function listening({ reel, rows }: ReelContext): Command[] {
  const first = () => rows.find((r) => r.track.id === chosenTracks(rows)[0]?.id);
  const withStems = (run: (ids: string[]) => void) => {
    const stems = new Set(chosenTracks(rows).flatMap((t) => stemOf(reel, t.id)?.id ?? []));
    if (stems.size > 0) run([...stems]);
    else note("The chosen tracks are sent to no stem.");
  };
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
      run: () => hearWithout(chosenTracks(rows).map((t) => t.id)),
    },
    {
      id: "solo stem",
      name: "Hear only the stem of the chosen tracks, or all again",
      run: () => withStems(hearAlone),
    },
    {
      id: "mute stem",
      name: "Listen without the stem of the chosen tracks, or with it again",
      run: () => withStems(hearWithout),
    },
    {
      id: "solo clips",
      name: "Hear only the chosen clips, or all again",
      run: () => withClips(rows, (c) => hearAlone(ids(c))),
    },
    {
      id: "mute clips",
      name: "Listen without the chosen clips, or with them again",
      run: () => withClips(rows, (c) => hearWithout(ids(c))),
    },
    {
      id: "all",
      name: "Hear all again",
      run: hearAll,
    },
  ];
}
