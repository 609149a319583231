import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api, type EditAction, must, type Production, type Reel, type Schemas } from "../../api/client";
import { plural } from "../../format";
import { stop } from "../../listening/engine";
import { timecodeIn } from "../../timeline/place";
import { Button, Key } from "../../ui/controls";
import { useBorrowing } from "./borrowing";
import { playAsIf } from "./hearing";

type Lendable = Schemas["Lendable"];
type Props = { production: Production; reel: Reel; act: (what: string, ...actions: EditAction[]) => void };

const fade = 0.02; // seconds

/** The other takes of the scene, and the other strands of the take, each at the place that corresponds to the span. */
export function BorrowPanel({ production: p, reel, act }: Props) {
  const of = useBorrowing((s) => s.of);
  if (!of) return null;
  return <Lendables key={`${of.track} ${of.from} ${of.to}`} production={p} reel={reel} act={act} of={of} />;
}

function Lendables({ production: p, reel, act, of }: Props & { of: { track: string; from: number; to: number } }) {
  const box = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState(0);
  const { data, error } = useQuery({
    queryKey: ["lendable", reel.id, of],
    queryFn: () => must(api.GET("/api/reels/{reel}/lendable", { params: { path: { reel: reel.id }, query: of } })),
    retry: false,
  });
  useEffect(() => box.current?.focus(), []);
  const track = reel.doc.tracks.find((t) => t.id === of.track);
  const action = (l: Lendable): EditAction => ({
    borrow: { ...of, strand: l.strand, in: l.in, name: l.name, fade: Math.round(fade * p.sample_rate) },
  });
  const close = () => {
    stop();
    useBorrowing.setState({ of: null });
  };
  const lay = (l: Lendable) => {
    act(`borrow a line of ${l.name} for ${track?.label ?? "a track"}`, action(l));
    close();
  };
  const listen = (l: Lendable) =>
    playAsIf(reel, [action(l)], of, `${reel.name} with ${l.name} ${l.label || `strand ${l.position}`} in the span`);
  const chosen = data?.[at];
  return (
    <aside aria-label="Borrow a line" className="flex w-80 shrink-0 flex-col border-line border-l bg-panel">
      <header className="flex items-center gap-2 px-3 py-2">
        <h2 className="flex-1">Borrow for {track?.label}</h2>
        <button
          type="button"
          aria-label="Close"
          onClick={close}
          className="flex h-6 w-6 items-center justify-center hover:text-focus"
        >
          <X size={14} aria-hidden="true" />
        </button>
      </header>
      <p className="px-3 pb-2 text-quiet text-small">
        {data && `${plural(data.length, "place")} for ${timecodeIn(p, of.from)} to ${timecodeIn(p, of.to)}`}
        {error && <span className="text-bad">{error.message}</span>}
      </p>
      <div
        ref={box}
        role="listbox"
        tabIndex={0}
        aria-label="Lines to borrow"
        aria-activedescendant={chosen ? `lend-${chosen.strand}` : undefined}
        className="min-h-0 flex-1 overflow-auto focus-visible:outline-none"
        onKeyDown={(e) => {
          if (e.ctrlKey || e.metaKey) return;
          e.stopPropagation();
          e.preventDefault();
          if (e.key === "ArrowDown") setAt(Math.min((data?.length ?? 1) - 1, at + 1));
          if (e.key === "ArrowUp") setAt(Math.max(0, at - 1));
          if (e.key === "Escape") close();
          if (chosen && e.key === " ") listen(chosen);
          if (chosen && e.key === "Enter") lay(chosen);
        }}
      >
        {data?.map((l, i) => (
          <div
            key={l.strand}
            id={`lend-${l.strand}`}
            role="option"
            aria-selected={i === at}
            tabIndex={-1}
            onClick={() => setAt(i)}
            onDoubleClick={() => lay(l)}
            onKeyDown={() => undefined}
            className={`cursor-default border-l-4 px-3 py-1.5 ${i === at ? "border-focus bg-raised" : "border-transparent"}`}
          >
            <span className="flex items-center gap-2">
              <span className="ticket truncate bg-ground px-2">{l.name}</span>
              <span className="min-w-0 flex-1 truncate">{l.label || `strand ${l.position}`}</span>
              {l.circled && <span className="text-good text-small">circled</span>}
              {l.no_good && <span className="text-caution text-small">no good</span>}
            </span>
            <span className="text-quiet text-small">{found(l)}</span>
          </div>
        ))}
        {data?.length === 0 && (
          <p className="px-3 text-quiet">
            No other take of this scene is long enough here, and the take has no other strand. Label takes with their
            scene in Takes to find more.
          </p>
        )}
      </div>
      <footer className="flex items-center gap-2 border-line border-t px-3 py-2">
        <Button disabled={!chosen} onClick={() => chosen && listen(chosen)}>
          Hear in place <Key>Space</Key>
        </Button>
        <Button primary disabled={!chosen} onClick={() => chosen && lay(chosen)}>
          Borrow <Key>Enter</Key>
        </Button>
      </footer>
    </aside>
  );
}

/** How the place was found, in words. */
function found(l: Lendable): string {
  if (l.by === "take") return "same take, same moment";
  if (l.by === "shape") return `by the shape of the sound, ${Math.round(l.likeness * 100)} % alike`;
  return l.likeness > 0
    ? `as long after the slate (the sound is ${Math.round(l.likeness * 100)} % alike at best)`
    : "as long after the slate";
}
