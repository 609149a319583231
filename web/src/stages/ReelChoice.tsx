import type { Reel } from "../api/client";
import { goToReel } from "../editor/current";
import { useReelSteps } from "../editor/useReelSteps";
import { useCommandList } from "../ui/commands";
import { Choice } from "../ui/controls";

/** Which reel a stage is about: goes from one to another, by key, too. */
export function ReelChoice({ production, reel }: { production: string; reel: Reel }) {
  const { all, steps } = useReelSteps(production, reel.id);
  useCommandList("Reels", steps);
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
