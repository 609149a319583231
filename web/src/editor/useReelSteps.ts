import { useMemo } from "react";
import { useReels } from "../api/reel";
import type { Command } from "../ui/commands";
import { goToReel } from "./current";

/** The reels of a production, and going from one to the next by key. */
export function useReelSteps(production: string, reel: string) {
  const { data: all } = useReels(production);
  const steps = useMemo<Command[]>(() => {
    const step = (by: number) => () => {
      const i = (all ?? []).findIndex((r) => r.id === reel);
      const next = all?.[(i + by + all.length) % all.length];
      if (next) goToReel(production, next.id);
    };
    return [
      { id: "next", name: "Next reel", key: "mod+ArrowDown", run: step(1) },
      { id: "before", name: "Reel before", key: "mod+ArrowUp", run: step(-1) },
    ];
  }, [production, reel, all]);
  return { all, steps };
}
