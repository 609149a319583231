import type { Span } from "../../editor/store";
import { Key } from "../../ui/controls";

type Props = { span: Span | null; says: string; cut: boolean; set: (cut: boolean) => void };

/** How much of the reel is ordered: all of it, or the span alone. */
export function HowMuch({ span, says, cut, set }: Props) {
  return (
    <fieldset className="flex flex-col">
      <legend className="mb-1 text-quiet">How much of it</legend>
      <label className="flex min-h-6 items-center gap-2">
        <input type="radio" name="how much" checked={!cut} onChange={() => set(false)} />
        all of the reel
      </label>
      <label className={`flex min-h-6 items-center gap-2 ${span ? "" : "text-quiet"}`}>
        <input type="radio" name="how much" checked={cut} disabled={!span} onChange={() => set(true)} />
        <span className="min-w-0 flex-1">
          {span ? (
            <>
              a cut-down: the span <span className="figures">{says}</span>
            </>
          ) : (
            "a cut-down of a span: choose one in Reel first"
          )}
        </span>
        <Key>C</Key>
      </label>
    </fieldset>
  );
}
