import { Play } from "lucide-react";
import { type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import type { Production, SyncPair, Take } from "../../api/client";
import { stop, useMonitor } from "../../listening/engine";
import { Picture } from "../../listening/Picture";
import { Key } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { Facts } from "./Facts";
import { Here } from "./Here";
import { StrandChoice } from "./StrandChoice";
import { TimeLine } from "./TimeLine";
import { useHearPair } from "./useHearPair";
import { useNudge } from "./useNudge";
import { framesOf, inTake, inWords, namesOf, type View, wholeView } from "./view";

type Props = {
  pair: SyncPair;
  pairs: SyncPair[];
  takes: Take[];
  production: Production;
  actions: ReactNode;
  onClock: (off: boolean) => void;
};

const mostDifference = 30; // seconds

/** Two recordings above each other at the moment they agree, heard together, moved by hand. */
export function PairView({ pair, pairs, takes, production, actions, onClock }: Props) {
  const again = useRef(() => {});
  const { seen: p, by: nudge } = useNudge(production.id, pair, () => again.current());
  const found = p.by !== "";
  const [view, setView] = useState<View>(() => wholeView(p));
  const fit = `${pair.state === "proposed" || pair.state === "aligning"} ${pair.by}`;
  useEffect(() => setView(wholeView(p)), [fit]);
  const [chosen, setChosen] = useState({ ref: "", take: "" });
  const strands = { ref: chosen.ref || p.ref.strand, take: chosen.take || p.take.strand };
  const frames = framesOf(p, view);
  const rate = p.ref.sample_rate;
  const names = namesOf(p);

  const listen = useHearPair({ pair: p, production, view, setView, strands, nudge, again });
  const on = useMonitor((m) => m.hearing !== null && "pair" in m.hearing.of && m.hearing.of.pair === p.id);
  const [left, setLeft] = useState<number | null>(null);
  const onHead = useCallback((h: Headers) => setLeft(Number(h.get("X-Left-Db"))), []);

  return (
    <section
      aria-label={`${names.take} with ${names.ref}`}
      className="flex min-w-0 flex-1 flex-col overflow-auto px-4 py-3"
    >
      <header className="mb-1 flex items-center gap-2">
        <h2 className="min-w-0 truncate text-large">
          {names.take} <span className="text-quiet">with</span> {names.ref}
        </h2>
        <span className="flex-1" />
        {actions}
      </header>
      <p className="mb-2 text-quiet">
        {[p.why, p.error || p.reason]
          .filter(Boolean)
          .map((s) => `${s.charAt(0).toUpperCase()}${s.slice(1)}.`)
          .join(" ")}
      </p>
      <div className="mb-2 flex gap-4">
        {found ? <Facts pair={p} rate={production.rate} onClock={onClock} /> : <span className="flex-1" />}
        {(["take", "ref"] as const).map(
          (which) =>
            p[which].picture && (
              <Picture
                key={which}
                file={p[which].picture}
                name={p[which].name}
                inStep={on}
                timeOf={(at) => (which === "ref" ? at / rate : inTake(p, at / rate))}
                still={which === "ref" ? view.centre : inTake(p, view.centre)}
                className="h-[126px] w-[224px] shrink-0"
              />
            ),
        )}
      </div>
      <TimeLine
        pairs={pairs}
        pair={p}
        view={view}
        found={found}
        onPick={(centre) => setView((v) => ({ ...v, centre }))}
      />
      <div className="mt-2 flex items-center gap-1.5 whitespace-nowrap text-quiet text-small">
        <span className="min-w-0 truncate">
          {inWords(view.span)} in view, around {inWords(view.centre)} of {p.ref.name}; each drawn to fit
        </span>
        <span className="flex-1" />
        <Key>+</Key>
        <Key>−</Key> closer, more <Key>Space</Key> a side each <Key>B</Key> both <Key>=</Key> flip
      </div>
      {(["ref", "take"] as const).map((which, i) => (
        <div key={which} className="mt-1 flex min-h-[88px] flex-[3_1_0%] items-stretch gap-2">
          <div className="flex w-28 shrink-0 flex-col justify-center">
            <span className="flex items-center gap-1">
              <Key>{i + 1}</Key>
              <span className="truncate" title={names[which]}>
                {names[which]}
              </span>
              <button
                type="button"
                aria-label={`Hear ${p[which].name} from here while held`}
                className="ml-auto flex h-6 w-5 shrink-0 items-center justify-center text-quiet hover:text-focus"
                onPointerDown={(e) => {
                  e.currentTarget.setPointerCapture(e.pointerId);
                  listen({ kind: "alone", channel: i }, false);
                }}
                onPointerUp={stop}
                onPointerCancel={stop}
              >
                <Play size={13} />
              </button>
            </span>
            <span className="figures truncate text-quiet text-small">{p[which].start_timecode || "no start"}</span>
            <StrandChoice
              take={takes.find((t) => t.id === p[which].id)}
              rate={production.rate}
              value={strands[which]}
              onChange={(id) => setChosen((c) => ({ ...c, [which]: id }))}
            />
          </div>
          <div className="relative min-w-0 flex-1 bg-ground">
            {strands[which] && frames[which].to > 0 && frames[which].from < p[which].frames && (
              <Waveform
                strand={strands[which]}
                from={frames[which].from}
                to={frames[which].to}
                colour={which === "ref" ? "var(--ink)" : "var(--focus)"}
                zoom="fit"
                className="h-full w-full"
              />
            )}
            <div className="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-caution/70" />
            {on && <Here view={view} rate={rate} />}
          </div>
        </div>
      ))}
      <div className="mt-1 flex min-h-14 flex-[2_1_0%] items-stretch gap-2">
        <div className="flex w-28 shrink-0 flex-col justify-center text-quiet text-small">
          <span>the difference</span>
          {found && left !== null && view.span <= mostDifference && (
            <span className="figures">
              {left > -0.05 ? "all is left" : `${left.toFixed(1).replace("-", "−")} dB left`}
            </span>
          )}
        </div>
        <div className="relative flex min-w-0 flex-1 items-center bg-ground">
          {found && view.span <= mostDifference ? (
            <Waveform
              address={`/api/syncs/${p.id}/difference?ref=${strands.ref}&take=${strands.take}&moved=${pair.nudge}&`}
              onHead={onHead}
              from={frames.ref.from}
              to={frames.ref.to}
              colour="var(--caution)"
              zoom="fit"
              className="h-full w-full"
            />
          ) : (
            <span className="px-3 text-quiet text-small">
              {found
                ? `Look closer than ${mostDifference} s to see what is left when one is taken from the other.`
                : "No place was found where they agree."}
            </span>
          )}
        </div>
      </div>
    </section>
  );
}
