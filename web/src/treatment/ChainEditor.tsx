import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import { api, must, type Reel, type Schemas } from "../api/client";
import { Button, Choice } from "../ui/controls";
import type { FigureKey } from "./moving";
import { Figure, type Over } from "./Number";
import { ResponseCurve } from "./ResponseCurve";
import { Settings } from "./Settings";
import { begin, type Chain, kinds, nextBand } from "./treating";

type Props = {
  /** At whose rate it is. */
  reel: Reel;
  chain: Chain;
  /** Keeps a part of it that was changed, said in words such as "set band 2". */
  put: (what: string, part: Partial<Chain>) => void;
  /** What sounds beneath. */
  spectrum?: Schemas["Spectrum"];
  /** The chain as it is at the pointer, where some of it moves. */
  here?: Chain;
  /** What a figure is over time; without, none moves. */
  over?: (key: FigureKey) => Over | undefined;
  /** What is shown between the curve and the figures. */
  children?: ReactNode;
};

/** Filters and dynamics: the curve over what sounds, and every figure. */
export function ChainEditor({ reel, chain: own, put, spectrum, here, over, children }: Props) {
  // While a knot is carried, what it would be.
  const [carried, setCarried] = useState<Chain | null>(null);
  const chain = carried ?? here ?? own;
  const { data: shown } = useQuery({
    queryKey: ["treatment", reel.sample_rate, chain],
    queryFn: () => must(api.POST("/api/reels/{reel}/treatment", { params: { path: { reel: reel.id } }, body: chain })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const bands = own.bands?.filter((b) => b.kind) ?? [];
  const setBand = (n: number, band: (typeof bands)[number]) =>
    put(`set band ${n + 1}`, { bands: bands.map((b, i) => (i === n ? band : b)) });
  return (
    <>
      <div className="px-3">
        <ResponseCurve
          chain={chain}
          response={shown}
          spectrum={spectrum}
          carry={(n, band, done) => {
            const figure = over?.(`band_${n + 1}`);
            const moving = figure && figure.points > 0 ? figure : undefined;
            setCarried(done ? null : { ...chain, bands: (chain.bands ?? []).map((b, i) => (i === n ? band : b)) });
            if (!done) return;
            // Of one that moves, the gain is that of the pointer.
            const db = moving ? (bands[n]?.db ?? 0) : band.db;
            const next = bands.map((b, i) => (i === n ? { ...band, db } : b));
            if (!moving || bands[n]?.hz !== band.hz) put(`carry band ${n + 1}`, { bands: next });
            moving?.save(band.db);
          }}
        />
        <p className="min-h-10 py-1 text-quiet text-small">
          {shown?.says || "It does nothing: ask for what it should do."}
        </p>
      </div>
      <Settings
        chain={own}
        use={(name, kept) =>
          put(`treat as ${name}:`, {
            off: undefined,
            high_pass: undefined,
            low_pass: undefined,
            bands: undefined,
            de_esser: undefined,
            expander: undefined,
            compressor: undefined,
            ...kept,
          })
        }
      />
      {children}
      <Passes chain={own} put={put} over={over} />
      <Part name="Bands">
        {bands.map((b, n) => (
          <div key={n} className="flex w-full items-center gap-1.5">
            <span className="figures w-3 text-quiet">{n + 1}</span>
            <Choice
              aria-label={`Kind of band ${n + 1}`}
              value={b.kind}
              className="w-24"
              style={{ height: 24 }}
              onChange={(e) => setBand(n, { ...b, kind: e.target.value as typeof b.kind })}
            >
              {Object.entries(kinds).map(([k, name]) => (
                <option key={k} value={k}>
                  {name}
                </option>
              ))}
            </Choice>
            <Figure
              label=""
              says={`Frequency of band ${n + 1}`}
              unit="Hz"
              from={10}
              to={22000}
              value={b.hz}
              save={(hz) => setBand(n, { ...b, hz })}
            />
            <Figure
              label=""
              says={`Gain of band ${n + 1}`}
              unit="dB"
              from={-24}
              to={24}
              value={b.db}
              save={(db) => setBand(n, { ...b, db })}
              over={over?.(`band_${n + 1}`)}
            />
            <Figure
              label="Q"
              says={`Q of band ${n + 1}`}
              unit=""
              from={0.1}
              to={20}
              places={2}
              wide="w-12"
              value={b.q}
              save={(q) => setBand(n, { ...b, q })}
            />
            <button
              type="button"
              aria-label={`Take band ${n + 1} away`}
              className="flex h-6 w-6 items-center justify-center text-quiet hover:text-ink"
              onClick={() => put(`take band ${n + 1} away`, { bands: bands.filter((_, i) => i !== n) })}
            >
              <X size={12} aria-hidden="true" />
            </button>
          </div>
        ))}
        {bands.length < 6 && (
          <Button onClick={() => put("add a band", { bands: [...bands, nextBand(bands.length)] })}>Add a band</Button>
        )}
      </Part>
      <Dynamics chain={own} put={put} over={over} />
    </>
  );
}

type PartProps = Pick<Props, "chain" | "put" | "over">;

/** One kind of treatment, with its figures. */
function Part({ name, on, children }: { name: string; on?: (on: boolean) => void; children?: ReactNode }) {
  return (
    <section aria-label={name} className="flex flex-wrap items-center gap-1.5 border-line border-t px-3 py-1.5">
      {on ? (
        <label className="flex w-28 items-center gap-1.5">
          <input type="checkbox" checked={!!children} onChange={(e) => on(e.target.checked)} />
          {name}
        </label>
      ) : (
        <span className="w-full text-quiet">{name}</span>
      )}
      {children}
    </section>
  );
}

const slopes = [6, 12, 18, 24, 36, 48];

function Passes({ chain, put, over }: PartProps) {
  return (["high_pass", "low_pass"] as const).map((which) => {
    const p = chain[which];
    const name = which === "high_pass" ? "High-pass" : "Low-pass";
    const first = which === "high_pass" ? { hz: 80, slope: 12 } : { hz: 12000, slope: 12 };
    const on = !!p?.hz;
    return (
      <Part
        key={which}
        name={name}
        on={(want) =>
          put(`${want ? "ask for" : "take away"} the ${name.toLowerCase()}`, { [which]: want ? first : undefined })
        }
      >
        {on && (
          <>
            <Figure
              label=""
              says={`Frequency of the ${name.toLowerCase()}`}
              unit="Hz"
              from={10}
              to={22000}
              value={p.hz}
              save={(hz) => put(`set the ${name.toLowerCase()}`, { [which]: { ...p, hz } })}
              over={over?.(which)}
            />
            <Choice
              aria-label={`Slope of the ${name.toLowerCase()}`}
              value={p.slope}
              style={{ height: 24 }}
              onChange={(e) =>
                put(`slope of the ${name.toLowerCase()}`, { [which]: { ...p, slope: Number(e.target.value) } })
              }
            >
              {slopes.map((s) => (
                <option key={s} value={s}>
                  {s} dB an octave
                </option>
              ))}
            </Choice>
          </>
        )}
      </Part>
    );
  });
}

type Shape = readonly [key: string, label: string, unit: string, from: number, to: number];

const threshold: Shape = ["threshold_db", "from", "dBFS", -80, 0];
const ratio: Shape = ["ratio", "ratio", ": 1", 1, 100];
const times: readonly Shape[] = [
  ["attack_ms", "attack", "ms", 0.1, 300],
  ["release_ms", "release", "ms", 5, 2000],
];

const parts = {
  de_esser: {
    name: "De-esser",
    shapes: [
      ["hz", "above", "Hz", 1000, 16000],
      threshold,
      ratio,
      ["range_db", "at most", "dB", 0, 24],
      ...times,
    ] as Shape[],
  },
  expander: { name: "Expander", shapes: [threshold, ratio, ["range_db", "at most", "dB", 0, 80], ...times] as Shape[] },
  compressor: {
    name: "Compressor",
    shapes: [
      threshold,
      ratio,
      ["knee_db", "knee", "dB", 0, 24],
      ...times,
      ["makeup_db", "makeup", "dB", 0, 24],
    ] as Shape[],
  },
} as const;

function Dynamics({ chain, put, over }: PartProps) {
  return (Object.keys(parts) as (keyof typeof parts)[]).map((which) => {
    const { name, shapes } = parts[which];
    const now = chain[which] as Record<string, number> | undefined;
    const says = name.toLowerCase();
    return (
      <Part
        key={which}
        name={name}
        on={(want) =>
          put(`${want ? "ask for" : "take away"} the ${says}`, { [which]: want ? begin[which] : undefined })
        }
      >
        {!!now?.ratio &&
          shapes.map(([key, label, unit, from, to]) => (
            <Figure
              key={key}
              label={label}
              says={`${name}: ${label}`}
              unit={unit}
              from={from}
              to={to}
              value={now[key] ?? 0}
              save={(v) => put(`set the ${says}`, { [which]: { ...now, [key]: v } })}
              over={key === "threshold_db" ? over?.(which) : undefined}
            />
          ))}
      </Part>
    );
  });
}
