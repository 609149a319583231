import { useEditor } from "../../../editor/store";
import type { Command } from "../../../ui/commands";
import { note } from "../../../ui/notes";
import { openLayPicture } from "../LayPicturePanel";
import { fillScreen, seenAt } from "../PictureWindow";
import { chosenPicture, here, type ReelContext } from "./context";

/** The picture that is seen while the reel plays. */
export function seeing({ reel, act }: ReelContext): Command[] {
  const withPicture = (run: (x: NonNullable<ReturnType<typeof seenAt>>) => void) => () => {
    const x = chosenPicture(reel) ?? seenAt(reel, here(reel));
    if (x) run(x);
    else note("No picture is laid here: Lay a picture… takes one in from the production's files.");
  };
  return [
    { id: "lay picture", name: "Lay a picture…", key: "mod+p", run: openLayPicture },
    {
      id: "picture window",
      name: "Show or hide the picture",
      key: "mod+shift+p",
      run: () => useEditor.setState((s) => ({ window: s.window === "hidden" ? "small" : "hidden" })),
    },
    {
      id: "picture size",
      name: "Larger or smaller picture",
      run: () => useEditor.setState((s) => ({ window: s.window === "large" ? "small" : "large" })),
    },
    { id: "picture screen", name: "Fill the screen with the picture, or leave it", run: fillScreen },
    {
      id: "choose picture",
      name: "Choose the picture at the pointer",
      run: withPicture((x) =>
        useEditor.setState({ picture: x.id, marker: "", clips: new Set(), span: null, tracks: [] }),
      ),
    },
    {
      id: "cut picture",
      name: "Cut the picture here",
      run: withPicture((x) => act(`cut the picture ${x.name}`, { cut_picture: { at: here(reel) } })),
    },
    {
      id: "no picture",
      name: "Take the picture out",
      run: withPicture((x) => act(`take the picture ${x.name} out`, { set_pictures: { remove: [x.id] } })),
    },
  ];
}
