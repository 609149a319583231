import type { Reel } from "../api/client";
import { useEditor } from "../editor/store";
import type { View } from "./geometry";

const margin = 16; // px behind the end of the whole reel
const finest = 40; // px a sample

/** CSS pixels a sample at which so many samples are in view. */
export function fitting(samples: number, width: number): number {
  return Math.max(1e-7, (width - margin) / Math.max(1, samples));
}

/** What is in view now. */
export function viewNow(width: number, height: number): View {
  const { from, px, top, extent } = useEditor.getState();
  if (px === 0) return { from: extent.from, px: fitting(extent.to - extent.from, width), top, width, height };
  return { from, px, top, width, height };
}

/** Shows from a sample on, as far as there is something to see. */
export function scrollTo(reel: Reel, from: number, view: View) {
  const { start, end } = reel.worked_out;
  const least = start - (0.5 * view.width) / view.px;
  const most = end - (0.2 * view.width) / view.px;
  useEditor.setState({ from: Math.max(0, Math.max(least, Math.min(most, from))), px: view.px });
}

/** Zooms, so that a place stays where it is in view. */
export function zoomAbout(reel: Reel, view: View, by: number, at: number) {
  const { start, end } = reel.worked_out;
  const fit = fitting(end - start, view.width);
  const px = Math.min(finest, Math.max(fit, view.px * by));
  if (px <= fit * 1.0001) {
    useEditor.setState({ px: 0, extent: { from: start, to: end } });
    return;
  }
  const x = Math.max(0, Math.min(view.width, (at - view.from) * view.px));
  useEditor.setState({ px, from: Math.max(0, at - x / px) });
}

/** Brings a place into view, if it is not. */
export function reveal(reel: Reel, view: View, at: number) {
  const to = view.from + view.width / view.px;
  if (at >= view.from && at <= to) return;
  scrollTo(reel, at - (0.15 * view.width) / view.px, view);
}
