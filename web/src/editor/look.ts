import { useEditor } from "./store";

/** What one has set of how a reel looks, kept in this browser for each reel. */
export type Look = {
  /** Heights of tracks in CSS pixels, by their IDs; the others share the window. */
  heights: Readonly<Record<string, number>>;
  /** How many times a track's waveforms are drawn twice as high, by its ID. */
  louder: Readonly<Record<string, number>>;
  folds: Readonly<Record<string, boolean>>;
  from: number;
  px: number;
  top: number;
  pointer: number;
};

const parts = ["heights", "louder", "folds", "from", "px", "top", "pointer"] as const;
const nameOf = (reel: string) => `look.${reel}`;

/** What was kept of a reel. */
export function lookOf(reel: string): Partial<Look> {
  try {
    const kept = JSON.parse(localStorage.getItem(nameOf(reel)) ?? "{}") as unknown;
    if (typeof kept !== "object" || kept === null) return {};
    const numbers = (v: unknown) => typeof v === "number" && Number.isFinite(v) && v >= 0;
    const good = (key: string, v: unknown) =>
      ["from", "px", "top", "pointer"].includes(key) ? numbers(v) : typeof v === "object" && v !== null;
    return Object.fromEntries(
      Object.entries(kept).filter(([k, v]) => (parts as readonly string[]).includes(k) && good(k, v)),
    ) as Partial<Look>;
  } catch {
    return {};
  }
}

let waiting: ReturnType<typeof setTimeout> | undefined;

function keep() {
  clearTimeout(waiting);
  waiting = undefined;
  const s = useEditor.getState();
  if (!s.reel) return;
  try {
    localStorage.setItem(nameOf(s.reel), JSON.stringify(Object.fromEntries(parts.map((p) => [p, s[p]]))));
  } catch {
    // Where nothing can be remembered, it holds for now.
  }
}

// A moment after the last change, and before the page goes: scrolling writes nothing with every frame.
useEditor.subscribe((now, was) => {
  if (now.reel !== was.reel) {
    clearTimeout(waiting);
    waiting = undefined;
    return;
  }
  if (parts.some((p) => now[p] !== was[p])) waiting ??= setTimeout(keep, 400);
});
addEventListener("pagehide", () => waiting && keep());
