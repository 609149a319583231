import { type PointerEvent, useState } from "react";
import type { Band, Chain } from "./treating";

const width = 396;
const height = 168;
const most = 24; // dB at the top
const softest = -90; // dBFS at the floor, of the sound
const from = Math.log(20);
const to = Math.log(20000);

const xOf = (hz: number) => ((Math.log(hz) - from) / (to - from)) * width;
const hzOf = (x: number) => Math.exp(from + (Math.max(0, Math.min(width, x)) / width) * (to - from));
const yOf = (db: number) => height / 2 - (Math.max(-most, Math.min(most, db)) / most) * (height / 2);
const loudY = (dbfs: number) => (Math.max(softest, Math.min(0, dbfs)) / softest) * height;

type Curve = { hz: number[]; db: number[] };
type Props = {
  chain: Chain;
  response: Curve | undefined;
  spectrum: Curve | undefined;
  /** A band that was carried: its number, and the band as it is then; done where it was let go. */
  carry: (n: number, band: Band, done: boolean) => void;
};

/** What filters do over what sounds: the curve as a thread, each band a knot on it that can be carried. */
export function ResponseCurve({ chain, response, spectrum, carry }: Props) {
  const [held, setHeld] = useState(-1);
  const thread = response?.hz.map((hz, i) => `${xOf(hz).toFixed(1)},${yOf(response.db[i] ?? 0).toFixed(1)}`).join(" ");
  const sound = spectrum?.hz.map((hz, i) => `${xOf(hz).toFixed(1)},${loudY(spectrum.db[i] ?? softest).toFixed(1)}`);
  const hold = (n: number, b: Band) => (e: PointerEvent<SVGRectElement>) => {
    e.preventDefault();
    const el = e.currentTarget;
    const box = el.ownerSVGElement?.getBoundingClientRect();
    if (!box) return;
    el.setPointerCapture(e.pointerId);
    setHeld(n);
    let now = b;
    const move = (m: globalThis.PointerEvent) => {
      const hz = hzOf(((m.clientX - box.left) / box.width) * width);
      const db = ((height / 2 - ((m.clientY - box.top) / box.height) * height) / (height / 2)) * most;
      now = { ...b, hz: Number(hz.toPrecision(3)), db: Math.round(Math.max(-most, Math.min(most, db)) * 10) / 10 };
      carry(n, now, false);
    };
    const end = () => {
      el.removeEventListener("pointermove", move);
      el.removeEventListener("pointerup", end);
      el.removeEventListener("pointercancel", end);
      setHeld(-1);
      if (now !== b) carry(n, now, true);
    };
    el.addEventListener("pointermove", move);
    el.addEventListener("pointerup", end);
    el.addEventListener("pointercancel", end);
  };
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label="What the filters do, over the sound beneath"
      className="w-full touch-none bg-ground"
    >
      {sound && sound.length > 1 && (
        <polygon points={`0,${height} ${sound.join(" ")} ${width},${height}`} fill="var(--line)" opacity={0.6} />
      )}
      {[-12, 0, 12].map((db) => (
        <g key={db}>
          <line x1={0} x2={width} y1={yOf(db)} y2={yOf(db)} stroke="var(--line)" strokeWidth={db === 0 ? 1.2 : 0.6} />
          <text x={width - 3} y={yOf(db) - 3} textAnchor="end" fontSize={10} fill="var(--quiet)">
            {db > 0 ? `+${db}` : db} dB
          </text>
        </g>
      ))}
      {[100, 1000, 10000].map((hz) => (
        <g key={hz}>
          <line x1={xOf(hz)} x2={xOf(hz)} y1={0} y2={height} stroke="var(--line)" strokeWidth={0.6} />
          <text x={xOf(hz) + 3} y={height - 4} fontSize={10} fill="var(--quiet)">
            {hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`}
          </text>
        </g>
      ))}
      {thread && <polyline points={thread} fill="none" stroke="var(--focus)" strokeWidth={chain.off ? 0.8 : 1.6} />}
      {chain.bands?.map((b, n) =>
        b.kind ? (
          <g key={n}>
            <rect
              x={xOf(b.hz) - 5}
              y={yOf(b.db) - 5}
              width={10}
              height={10}
              fill={held === n ? "var(--ink)" : "var(--focus)"}
              className="cursor-move"
              data-band={n + 1}
              onPointerDown={hold(n, b)}
            >
              <title>{`Band ${n + 1}: carry it`}</title>
            </rect>
          </g>
        ) : null,
      )}
    </svg>
  );
}
