import { useMemo } from "react";
import type { Reel } from "../api/client";
import { useReels } from "../api/reel";
import { goToReel } from "../editor/current";
import { type Command, useCommandList } from "../ui/commands";
import { Choice } from "../ui/controls";

/** Which reel a stage is about: goes from one to another, by key, too. */
export function ReelChoice({ production, reel }: { production: string; reel: Reel }) {
  const { data: all } = useReels(production);
  const list = useMemo<Command[]>(() => {
    const step = (by: number) => () => {
      const i = (all ?? []).findIndex((r) => r.id === reel.id);
      const next = all?.[(i + by + all.length) % all.length];
      if (next) goToReel(production, next.id);
    };
    return [
      { id: "next", name: "Next reel", key: "mod+ArrowDown", run: step(1) },
      { id: "before", name: "Reel before", key: "mod+ArrowUp", run: step(-1) },
    ];
  }, [production, reel.id, all]);
  useCommandList("Reels", list);
  return (
    <Choice
      aria-label="Reel"
      value={reel.id}
      className="max-w-44"
      onChange={(e) => goToReel(production, e.target.value)}
    >
      {(all ?? [reel]).map((r) => (
        <option key={r.id} value={r.id}>
          {r.name}
        </option>
      ))}
    </Choice>
  );
}
