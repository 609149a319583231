import { useProgress } from "../../api/events";
import { count } from "../../format";
import { usePace } from "./pace";

type Props = { id: string; state: string; says: string; total: number; sampleRate: number };

/** Progress, as a thread along a row: what is done of what, how fast, and how long it will take. */
export function Thread({ id, state, says, total, sampleRate }: Props) {
  const progress = useProgress((s) => s[id]);
  const done = progress?.done ?? 0;
  const all = progress?.total || total;
  const pace = usePace(`${id} ${state}`, done, all, sampleRate);
  const part = all > 0 ? Math.min(1, done / all) : 0;
  return (
    <div className="flex items-center gap-3 pb-1 pl-6">
      <div
        role="progressbar"
        aria-label={`Progress: ${says}`}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(part * 100)}
        className="relative h-1 flex-1 bg-raised"
      >
        <div className="h-full bg-focus" style={{ width: `${part * 100}%` }} />
      </div>
      <span className="figures shrink-0 text-quiet text-small">
        {count(done)} of {count(all)} frames{pace && `, ${pace}`}
      </span>
    </div>
  );
}
