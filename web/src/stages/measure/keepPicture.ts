import type { Measurement } from "../../api/measure";
import { saveFile } from "../../ui/download";
import { keyOf, level } from "./figures";
import { stripFloor, stripTop } from "./paintStrip";

/** Keeps the strips as they are seen as a picture: names, scales and readings beside each. */
export function keepPicture(name: string, title: string, m: Measurement) {
  const strips = [...document.querySelectorAll<HTMLCanvasElement>("canvas[data-strip]")];
  const first = strips[0];
  if (!first) return;
  const ratio = window.devicePixelRatio || 1;
  const style = getComputedStyle(first);
  const [left, right, head] = [190, 90, 34];
  const wide = left + first.clientWidth + right;
  const high = head + strips.reduce((sum, s) => sum + s.clientHeight + 12, 8);
  const c = document.createElement("canvas");
  c.width = Math.round(wide * ratio);
  c.height = Math.round(high * ratio);
  const g = c.getContext("2d");
  if (!g) return;
  g.scale(ratio, ratio);
  g.fillStyle = style.getPropertyValue("--ground") || "#ffffff";
  g.fillRect(0, 0, wide, high);
  const ink = style.getPropertyValue("--ink");
  const quiet = style.getPropertyValue("--quiet");
  g.fillStyle = ink;
  g.font = `600 14px ${style.fontFamily}`;
  g.fillText(title, 10, 22);
  let y = head;
  for (const s of strips) {
    const bus = m.buses.find((b) => keyOf(b) === s.dataset.strip);
    const tall = s.clientHeight;
    g.drawImage(s, left, y, s.clientWidth, tall);
    g.font = `13px ${style.fontFamily}`;
    g.fillStyle = ink;
    g.fillText(bus?.name ?? "", 10, y + 16, left - 50);
    g.fillText(`I ${level(bus?.integrated_lufs)}`, left + s.clientWidth + 8, y + 16);
    g.fillStyle = quiet;
    g.fillText(`LRA ${level(bus?.range_lu)}`, left + s.clientWidth + 8, y + 34);
    g.fillText(`TP ${level(bus?.true_peak?.value)}`, left + s.clientWidth + 8, y + 52);
    g.textAlign = "right";
    for (const v of [-10, -20, -30, -40])
      g.fillText(level(v, 0), left - 6, y + ((stripTop - v) / (stripTop - stripFloor)) * tall + 4);
    g.textAlign = "left";
    y += tall + 12;
  }
  c.toBlob((picture) => picture && saveFile(name, picture), "image/png");
}
