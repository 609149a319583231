import { Play } from "lucide-react";
import { type ReactNode, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Production, SyncPair, Take } from "../../api/client";
import { fromHome } from "../../format";
import { type Hearing, hear, position, prepare, setLoop, setWay, stop, useMonitor } from "../../listening/engine";
import type { Way } from "../../listening/matrix";
import { Picture } from "../../listening/Picture";
import { type Command, typing, useCommandList } from "../../ui/commands";
import { Choice, Key } from "../../ui/controls";
import { Waveform } from "../../waveform/Waveform";
import { Facts } from "./Facts";
import { TimeLine } from "./TimeLine";
import { useNudge } from "./useNudge";
import { common, framesOf, inTake, inWords, namesOf, type View, wholeView, zoomed } from "./view";

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

  // What is heard begins where the view does, or goes on where it is.
  const listen = (way: Way, latched: boolean) => {
    const going = hearing();
    const c = common(p);
    const from = going ? position() : Math.max(view.centre - view.span / 2, c?.from ?? 0) * rate;
    const h: Hearing = {
      of: { pair: p.id, ref: strands.ref, take: strands.take },
      labels: [names.ref, names.take],
      from: Math.round(from),
      sampleRate: rate,
      says: `${names.take} with ${names.ref}`,
      start: p.ref.start,
      way,
      match: true,
    };
    void hear(h, latched, going !== null);
  };
  const hearing = () => {
    const h = useMonitor.getState().hearing;
    return h && "pair" in h.of && h.of.pair === p.id ? h : null;
  };
  const on = useMonitor((m) => m.hearing !== null && "pair" in m.hearing.of && m.hearing.of.pair === p.id);
  again.current = () => {
    const h = hearing();
    if (h) void hear({ ...h, from: Math.round(position()) }, useMonitor.getState().latched, true);
  };

  const act = {
    both: () => {
      const h = hearing();
      if (h) stop();
      else listen({ kind: "pair", pair: 0 }, true);
    },
    sides: () => {
      const h = hearing();
      if (!h) listen({ kind: "pair", pair: 0 }, true);
      else setWay(h.way.kind === "pair" ? { kind: "both" } : { kind: "pair", pair: 0 });
    },
    flip: () => {
      const h = hearing();
      const channel = h?.way.kind === "alone" ? 1 - h.way.channel : 0;
      if (h) setWay({ kind: "alone", channel }, `${channel === 0 ? names.ref : names.take} alone, compared`);
      else listen({ kind: "alone", channel }, true);
    },
    loop: () => {
      const h = hearing();
      if (!h) return;
      const from = Math.round((view.centre - view.span / 2) * rate);
      setLoop(h.loop ? undefined : { from, to: from + Math.max(1, Math.round(view.span * rate)) });
    },
    nudge,
    view: setView,
    whole: () => setView(wholeView(p)),
  };
  const latest = useRef(act);
  latest.current = act;
  const frame = (rate * production.rate.den) / production.rate.num;
  const commands = useMemo<Command[]>(() => {
    const moves: [string, string, number][] = [
      ["frame", "mod+", frame],
      ["millisecond", "shift+", rate / 1000],
      ["sample", "mod+shift+", 1],
    ];
    return [
      { id: "in", name: "Look closer", key: "+", run: () => setView((v) => zoomed(v, -1)) },
      { id: "out", name: "See more", key: "-", run: () => setView((v) => zoomed(v, 1)) },
      { id: "all", name: "See all that both hear", key: "0", run: () => latest.current.whole() },
      {
        id: "left",
        name: "Look earlier",
        key: "ArrowLeft",
        run: () => setView((v) => ({ ...v, centre: v.centre - v.span / 4 })),
      },
      {
        id: "right",
        name: "Look later",
        key: "ArrowRight",
        run: () => setView((v) => ({ ...v, centre: v.centre + v.span / 4 })),
      },
      { id: "ears", name: "Hear one left and the other right, or stop", key: " ", run: () => latest.current.both() },
      { id: "sides", name: "Hear both on both sides, or one a side", key: "b", run: () => latest.current.sides() },
      { id: "flip", name: "Flip between one and the other", key: "=", run: () => latest.current.flip() },
      { id: "loop", name: "Hear what is in view over and over", key: "\\", run: () => latest.current.loop() },
      ...moves.flatMap(([name, mod, by]): Command[] => [
        {
          id: `earlier-${name}`,
          name: `Move it a ${name} earlier`,
          key: `${mod}ArrowLeft`,
          run: () => latest.current.nudge(-by),
        },
        {
          id: `later-${name}`,
          name: `Move it a ${name} later`,
          key: `${mod}ArrowRight`,
          run: () => latest.current.nudge(by),
        },
      ]),
    ];
  }, [frame, rate]);
  useCommandList("Sync, the pair", commands);

  const hold = useRef(listen);
  hold.current = listen;
  useEffect(() => {
    prepare(rate);
    const which = (e: KeyboardEvent) => (e.code === "Digit1" ? 0 : e.code === "Digit2" ? 1 : -1);
    const down = (e: KeyboardEvent) => {
      const w = which(e);
      if (w >= 0 && !e.repeat && !e.ctrlKey && !e.metaKey && !e.altKey && !typing(e.target))
        hold.current({ kind: "alone", channel: w }, false);
    };
    const up = (e: KeyboardEvent) => which(e) >= 0 && stop();
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [rate]);
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

/** Which strand of a take is seen and heard. */
function StrandChoice({
  take,
  rate,
  value,
  onChange,
}: {
  take: Take | undefined;
  rate: Production["rate"];
  value: string;
  onChange: (id: string) => void;
}) {
  if (!take || take.strands.length < 2) return null;
  return (
    <Choice
      aria-label={`Strand of ${take.name}`}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="mt-1 h-6 w-full text-small"
    >
      {take.strands.map((s) => (
        <option key={s.id} value={s.id}>
          {s.position} {s.label || "no label"}
          {s.loose && `, ${fromHome(s.shift, take.sample_rate, rate)}`}
        </option>
      ))}
    </Choice>
  );
}

/** Where it sounds now, drawn with every frame of the screen. */
function Here({ view, rate }: { view: View; rate: number }) {
  const line = useRef<HTMLDivElement>(null);
  const seen = useRef(view);
  seen.current = view;
  useEffect(() => {
    let next = 0;
    const draw = () => {
      const part = (position() / rate - seen.current.centre) / seen.current.span + 0.5;
      if (line.current) {
        line.current.style.left = `${part * 100}%`;
        line.current.style.visibility = part >= 0 && part <= 1 ? "visible" : "hidden";
      }
      next = requestAnimationFrame(draw);
    };
    draw();
    return () => cancelAnimationFrame(next);
  }, [rate]);
  return <div ref={line} className="pointer-events-none absolute inset-y-0 w-0.5 bg-bad" />;
}
