import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { api, type EditAction, must, type Reel } from "../api/client";
import { withPoint } from "../editor/envelope";
import { figureOf } from "../editor/enveloped";
import { rebased } from "../editor/rebased";
import { useEditor } from "../editor/store";
import { useMonitor } from "../listening/engine";
import { flipTreatment } from "../stages/reel/hearing";
import { valueAt } from "../timeline/curve";
import type { Acting } from "../timeline/useDrag";
import { Button } from "../ui/controls";
import { note } from "../ui/notes";
import { ChainEditor } from "./ChainEditor";
import { chainAt, type FigureKey, movable, withCurve } from "./moving";
import type { Over } from "./Number";
import { Reduction } from "./Reduction";
import { type Chain, dynamic, type Treated, treatedOf, treats, useTreating } from "./treating";

type Act = (what: string, ...actions: Acting[]) => void;

/** Filters and dynamics of a track or bus, beside what is edited. */
export function TreatPanel({ reel, act }: { reel: Reel; act: Act }) {
  const { reel: asked, of } = useTreating();
  const it = asked === reel.id ? treatedOf(reel, of) : undefined;
  return it ? <Panel key={it.id} reel={reel} it={it} act={act} /> : null;
}

const seconds = 4; // of the sound that is shown beneath

function Panel({ reel, it, act }: { reel: Reel; it: Treated; act: Act }) {
  const pointer = useEditor((s) => s.pointer);
  const at = Math.max(reel.worked_out.start, Math.floor(pointer / reel.sample_rate) * reel.sample_rate);
  const { data: spectrum } = useQuery({
    queryKey: ["spectrum", reel.id, reel.version, it.id, at],
    queryFn: () =>
      must(
        api.GET("/api/reels/{reel}/spectrum", {
          params: { path: { reel: reel.id }, query: { of: it.id, from: at, to: at + seconds * reel.sample_rate } },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const before = useMonitor((m) => m.hearing !== null && "reel" in m.hearing.of && m.hearing.of.untreated === it.id);
  const copied = useTreating((s) => s.copied);
  const tracks = useEditor((s) => s.tracks);
  // Done to it as it is when the edit's turn comes: figures that are changed quickly add up.
  const then = (change: (it: Treated) => EditAction) => (now: Reel) => {
    const there = treatedOf(now, it.id);
    return there && change(there);
  };
  const put = (what: string, part: Partial<Chain>) =>
    act(
      `${what} of ${it.name}`,
      then((o) => o.put(rebased(it.chain, { ...it.chain, ...part }, o.chain))),
    );
  const drawing = useEditor((s) => s.drawing);
  const over = (key: FigureKey): Over | undefined => {
    const figure = movable(it.chain, key);
    if (!figure) return undefined;
    const curve = it.moves[key] ?? [];
    const move = (what: string, now: typeof curve) =>
      act(
        `${what} ${figure.says} of ${it.name}`,
        then((o) => o.putMoves(withCurve(o.moves, key, now))),
      );
    const point = (v: number) =>
      move(
        "set",
        withPoint({ in: 0, length: Number.MAX_SAFE_INTEGER, gain: curve }, pointer, v, undefined, figure.scale),
      );
    const mode = `treated ${key}` as const;
    return {
      says: it.lane ? `Draw ${figure.says} in the lane` : `A point of ${figure.says} at the pointer`,
      points: curve.length,
      here: curve.length > 0 ? valueAt(curve, pointer) : figure.rest,
      save: point,
      drawn: drawing === mode,
      draw: () => {
        if (it.lane) useEditor.setState({ drawing: drawing === mode ? "" : mode });
        else point(curve.length > 0 ? valueAt(curve, pointer) : figure.rest);
      },
      still: () => move("no longer move", []),
    };
  };
  const others = tracks.filter((id) => id !== it.id && reel.doc.tracks.some((t) => t.id === id));
  return (
    <aside
      aria-label="Treatment"
      className="flex w-[424px] shrink-0 flex-col overflow-auto border-line border-l bg-panel"
    >
      <header className="flex items-center gap-2 px-3 py-2">
        <h2 className="min-w-0 flex-1 truncate" title={it.name}>
          Treatment of {it.name}
        </h2>
        <Button
          aria-pressed={before}
          disabled={!treats(it.chain)}
          title="Hear it before the treatment, as loud as after it, and after it again: for listening only (Ctrl Shift M)"
          onClick={() => flipTreatment(reel, it.id, it.name)}
        >
          {before ? "Hearing before" : "Before"}
        </Button>
        <Button
          aria-pressed={!!it.chain.off}
          title="Hear it without, and with it again"
          onClick={() => put(it.chain.off ? "turn the treatment on" : "turn the treatment off", { off: !it.chain.off })}
        >
          {it.chain.off ? "Off" : "On"}
        </Button>
        <button
          type="button"
          aria-label="Close the treatment"
          onClick={() => {
            useTreating.setState({ of: "" });
            if (figureOf(drawing)) useEditor.setState({ drawing: "" });
          }}
          className="flex h-6 w-6 items-center justify-center hover:text-focus"
        >
          <X size={14} aria-hidden="true" />
        </button>
      </header>
      <ChainEditor
        reel={reel}
        chain={it.chain}
        put={put}
        spectrum={spectrum}
        here={chainAt(it.chain, it.moves, pointer)}
        over={over}
      >
        {dynamic(it.chain) && <Reduction reel={reel} it={it} />}
      </ChainEditor>
      <footer className="mt-auto flex flex-wrap gap-1.5 border-line border-t px-3 py-2">
        <Button
          disabled={!treats(it.chain)}
          onClick={() => {
            useTreating.setState({ copied: it.chain });
            note(`The treatment of ${it.name} is copied.`);
          }}
        >
          Copy
        </Button>
        <Button
          disabled={!copied}
          onClick={() =>
            copied &&
            act(
              `treat ${it.name} as what was copied`,
              then((o) => o.put(copied)),
            )
          }
        >
          Put what was copied
        </Button>
        {others.length > 0 && (
          <Button
            onClick={() =>
              act(
                `treat ${others.length} tracks as ${it.name}`,
                ...others.map((id) => ({ set_track: { id, treat: it.chain } })),
              )
            }
          >
            The same for {others.length} chosen {others.length === 1 ? "track" : "tracks"}
          </Button>
        )}
        <Button
          onClick={() =>
            act(
              `take the treatment of ${it.name} away`,
              then((o) => o.put({})),
            )
          }
        >
          Take it away
        </Button>
      </footer>
    </aside>
  );
}
