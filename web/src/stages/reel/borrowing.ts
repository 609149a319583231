import { create } from "zustand";
import { useEditor } from "../../editor/store";
import { note } from "../../ui/notes";

/** The span of a track that a line is being borrowed for. */
export const useBorrowing = create<{ of: { track: string; from: number; to: number } | null }>(() => ({ of: null }));

/** Begins to look for a line for the span on a track. */
export function borrow(track: string | undefined) {
  const { span } = useEditor.getState();
  if (!span || !track) note("Choose a span on a track first: drag over the line that is to be replaced.");
  else useBorrowing.setState({ of: { track, from: span.from, to: span.to } });
}
