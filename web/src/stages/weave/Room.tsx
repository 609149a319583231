import { useRef } from "react";
import type { Schemas } from "../../api/client";

type Place = Schemas["Place"];
type Props = {
  /** Speakers with their directions, and the factor by which each is reached. */
  speakers: { name: string; azimuth: number; elevation: number; factor: number }[];
  places: Place[];
  /** Tells where a knot was carried to, while it is carried (done false) and when it is let go. */
  onCarry: (channel: number, place: Place, done: boolean) => void;
};

const size = 236;
const ring = 88;
const middle = size / 2;
const side = 84; // height of the elevation

/** Where something stands in the plan: straight ahead is up, and left is left. */
const spot = (azimuth: number, far: number) => {
  const a = (azimuth * Math.PI) / 180;
  return { x: middle - Math.sin(a) * far, y: middle - Math.cos(a) * far };
};

/**
 * The room in plan and from the side: a thread from the middle to every speaker, as thick as its level, and a knot for every
 * channel of the source, which can be carried. From the side, up is up and the front is left.
 */
export function Room({ speakers, places, onCarry }: Props) {
  const held = useRef<number | null>(null);
  const carry = (e: React.PointerEvent<SVGSVGElement>, done: boolean) => {
    const k = held.current;
    if (k === null) return;
    const box = e.currentTarget.getBoundingClientRect();
    const x = middle - (e.clientX - box.left);
    const y = middle - (e.clientY - box.top);
    const far = Math.hypot(x, y) / ring;
    onCarry(
      k,
      {
        ...places[k],
        azimuth: Math.round((Math.atan2(x, y) * 180) / Math.PI),
        inward: Math.round(Math.max(0, 1 - far) * 100) / 100,
      },
      done,
    );
    if (done) held.current = null;
  };
  const width = (f: number) => Math.max(0.4, f * 7);
  return (
    <figure aria-label="The room" className="m-0">
      <svg
        width={size}
        height={size}
        role="img"
        aria-label="The room from above: threads to the speakers as thick as their level"
        className="block touch-none bg-ground"
        onPointerMove={(e) => carry(e, false)}
        onPointerUp={(e) => carry(e, true)}
      >
        <circle cx={middle} cy={middle} r={ring} fill="none" stroke="var(--line)" strokeDasharray="2 4" />
        <path
          d={`M${middle - 5} ${middle + 4} L${middle} ${middle - 7} L${middle + 5} ${middle + 4} Z`}
          fill="var(--quiet)"
        />
        {speakers.map((s) => {
          const up = Math.abs(s.elevation) > 1;
          const at = spot(s.azimuth, ring * (up ? 0.66 : 1));
          const text = spot(s.azimuth, ring * (up ? 0.66 : 1) + 17);
          return (
            <g key={s.name}>
              <line
                x1={middle}
                y1={middle}
                x2={at.x}
                y2={at.y}
                stroke="var(--focus)"
                strokeWidth={width(s.factor)}
                opacity={s.factor > 0 ? 0.85 : 0.25}
              />
              <rect x={at.x - 3} y={at.y - 3} width={6} height={6} fill="var(--ink)" />
              <text x={text.x} y={text.y + 4} textAnchor="middle" fontSize={12} fill="var(--ink)">
                {s.name}
              </text>
            </g>
          );
        })}
        {places.map((p, i) => {
          const at = spot(p.azimuth ?? 0, ring * (1 - (p.inward ?? 0)));
          return (
            <g
              key={i}
              className="cursor-grab"
              onPointerDown={(e) => {
                held.current = i;
                e.currentTarget.ownerSVGElement?.setPointerCapture(e.pointerId);
              }}
            >
              <circle cx={at.x} cy={at.y} r={11} fill="transparent" />
              <path
                d={`M${at.x - 7} ${at.y} L${at.x} ${at.y - 7} L${at.x + 7} ${at.y} L${at.x} ${at.y + 7} Z`}
                fill="var(--ground)"
                stroke="var(--focus)"
                strokeWidth={2.5}
              />
              {places.length > 1 && (
                <text x={at.x} y={at.y + 4} textAnchor="middle" fontSize={12} fill="var(--ink)">
                  {i + 1}
                </text>
              )}
            </g>
          );
        })}
      </svg>
      {speakers.some((s) => Math.abs(s.elevation) > 1) && (
        <svg
          width={size}
          height={side}
          role="img"
          aria-label="The room from the side: front left, above up"
          className="mt-1 block bg-ground"
        >
          <line x1={10} x2={size - 10} y1={side - 14} y2={side - 14} stroke="var(--line)" strokeDasharray="2 4" />
          {speakers.map((s) => {
            const a = (s.azimuth * Math.PI) / 180;
            const e = (s.elevation * Math.PI) / 180;
            const x = middle - Math.cos(a) * Math.cos(e) * ring;
            const y = side - 14 - Math.sin(e) * 70;
            return (
              <g key={s.name}>
                <line
                  x1={middle}
                  y1={side - 14}
                  x2={x}
                  y2={y}
                  stroke="var(--focus)"
                  strokeWidth={width(s.factor)}
                  opacity={s.factor > 0 ? 0.85 : 0.25}
                />
                <rect x={x - 2.5} y={y - 2.5} width={5} height={5} fill="var(--ink)" />
              </g>
            );
          })}
          {places.map((p, i) => {
            const a = ((p.azimuth ?? 0) * Math.PI) / 180;
            const e = ((p.elevation ?? 0) * Math.PI) / 180;
            const x = middle - Math.cos(a) * Math.cos(e) * ring;
            const y = side - 14 - Math.sin(e) * 70;
            return (
              <path
                key={i}
                d={`M${x - 6} ${y} L${x} ${y - 6} L${x + 6} ${y} L${x} ${y + 6} Z`}
                fill="var(--ground)"
                stroke="var(--focus)"
                strokeWidth={2}
              />
            );
          })}
        </svg>
      )}
    </figure>
  );
}
