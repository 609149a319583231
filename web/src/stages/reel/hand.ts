import type { useEditor } from "../../editor/store";
import type { Hand } from "../../ui/hand";

const clips: Hand = {
  of: "the chosen clips",
  parts: [
    [
      ["cut", "Cut here"],
      ["head", "Trim head"],
      ["tail", "Trim tail"],
      ["fade in", "Fade in"],
      ["fade out", "Fade out"],
      ["copy", "Copy"],
    ],
    [["solo clips", "Hear alone"]],
    [["remove", "Remove"]],
  ],
};

const span: Hand = {
  of: "the chosen span",
  parts: [
    [
      ["cut span", "Cut at both ends"],
      ["dip", "Dip"],
      ["off", "Off"],
      ["on", "On"],
      ["copy", "Copy"],
    ],
    [["loop", "Hear over and over"]],
    [
      ["remove", "Remove"],
      ["close", "Remove and close up"],
    ],
  ],
};

const tracks: Hand = {
  of: "the chosen tracks",
  parts: [
    [
      ["taller", "Taller"],
      ["lower", "Lower"],
      ["treat", "Treat"],
      ["track off", "Off or on"],
    ],
    [["solo", "Hear alone"]],
    [["remove track", "Remove track"]],
  ],
};

const picture: Hand = {
  of: "the chosen picture",
  parts: [[["cut picture", "Cut here"]], [["no picture", "Take it out"]]],
};

const nothing: Hand = {
  of: "the reel",
  parts: [
    [
      ["cut all", "Cut all tracks here"],
      ["mark", "Marker here"],
      ["paste", "Paste here"],
      ["fit", "Whole reel"],
    ],
    [["play", "Hear from here"]],
  ],
};

/** What is offered first for what is chosen. */
export function handOf(s: ReturnType<typeof useEditor.getState>): Hand {
  if (s.picture) return picture;
  if (s.clips.size > 0) return clips;
  if (s.span) return span;
  return s.tracks.length > 0 ? tracks : nothing;
}
