import { Button } from "../../ui/controls";

export type Named = { id: string; name: string };
type Props = {
  what: string; // of one: track, stem
  all: readonly Named[];
  only: readonly string[];
  chosen: readonly string[];
  set: (only: string[]) => void;
};

/** Which tracks or buses there is a file of: all, or those that are ticked. */
export function Only({ what, all, only, chosen, set }: Props) {
  const ours = new Set(all.map((a) => a.id));
  const some = only.filter((id) => ours.has(id));
  const others = only.filter((id) => !ours.has(id));
  const ticked = new Set(some);
  const inReel = chosen.filter((id) => ours.has(id));
  const put = (ids: string[]) => set([...others, ...(ids.length === all.length ? [] : ids)]);
  return (
    <details>
      <summary className="min-h-6 cursor-default text-quiet">
        {some.length ? `${some.length} of ${all.length} ${what}s go in` : `All ${all.length} ${what}s go in`}
      </summary>
      <div className="flex max-h-44 flex-col overflow-auto py-1 pl-4">
        <span className="flex gap-2 pb-1">
          <Button disabled={some.length === 0} onClick={() => put([])}>
            All
          </Button>
          {inReel.length > 0 && <Button onClick={() => put(inReel)}>Those chosen in Reel</Button>}
        </span>
        {all.map((a) => (
          <label key={a.id} className="flex min-h-6 items-center gap-2" title={a.name}>
            <input
              type="checkbox"
              checked={some.length === 0 || ticked.has(a.id)}
              onChange={(e) => {
                const now = some.length === 0 ? all.map((x) => x.id) : some;
                put(e.target.checked ? [...now, a.id] : now.filter((id) => id !== a.id));
              }}
            />
            <span className="truncate">{a.name}</span>
          </label>
        ))}
      </div>
    </details>
  );
}
