import type { MeasuredBus } from "../../api/measure";
import { plural } from "../../format";
import { Button, Key } from "../../ui/controls";

type Props = { breaks: MeasuredBus["breaks"]; at: number; go: (i: number) => void };

/** Where limits are not kept, the gravest first; one click or key goes there and plays it. */
export function Places({ breaks, at, go }: Props) {
  return (
    <>
      <h2 className="flex items-center gap-2 px-3 pt-3 pb-1">
        <span className="flex-1">{plural(breaks.length, "place")} where a limit is not kept</span>
        {breaks.length > 0 && (
          <Button onClick={() => go((at + 1) % breaks.length)}>
            Next <Key>G</Key>
          </Button>
        )}
      </h2>
      <ul aria-label="Places where a limit is not kept" className="max-h-52 shrink-0 overflow-auto">
        {breaks.map((b, i) => (
          <li key={`${b.what} ${b.from}`}>
            <button
              type="button"
              aria-current={i === at}
              className={`flex w-full gap-3 border-l-4 px-3 py-1 text-left hover:bg-raised ${i === at ? "border-focus bg-raised" : "border-transparent"}`}
              onClick={() => go(i)}
            >
              <span className="figures">{b.timecode}</span>
              <span className="min-w-0 flex-1">{b.says}</span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
