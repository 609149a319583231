import { useRef } from "react";
import type { Placed } from "./LayoutsPanel";

const size = 400;
const ring = 160;
const middle = size / 2;

/** How far from the middle a speaker is drawn: on the ring, and nearer the higher or the lower it is. */
const far = (s: Placed) => ring * (0.25 + 0.75 * Math.cos((s.elevation * Math.PI) / 180));

/**
 * The speakers of a layout from above, straight ahead up, those above or below the listener nearer to the middle. They are
 * carried around by pointer, in whole degrees; their heights are typed.
 */
export function SpeakerPlan({ speakers, place }: { speakers: Placed[]; place: (i: number, azimuth: number) => void }) {
  const held = useRef<number | null>(null);
  const carry = (e: React.PointerEvent<SVGSVGElement>) => {
    if (held.current === null) return;
    const box = e.currentTarget.getBoundingClientRect();
    const x = middle - (e.clientX - box.left);
    const y = middle - (e.clientY - box.top);
    place(held.current, Math.round((Math.atan2(x, y) * 180) / Math.PI));
  };
  return (
    <svg
      width={size}
      height={size}
      role="img"
      aria-label="The speakers from above, straight ahead up"
      className="block shrink-0 touch-none bg-ground"
      onPointerMove={carry}
      onPointerUp={() => {
        held.current = null;
      }}
    >
      <circle cx={middle} cy={middle} r={ring} fill="none" stroke="var(--line)" strokeDasharray="2 4" />
      <path
        d={`M${middle - 6} ${middle + 5} L${middle} ${middle - 8} L${middle + 6} ${middle + 5} Z`}
        fill="var(--quiet)"
      />
      {speakers.map((s, i) => {
        if (s.no_place) return null;
        const a = (s.azimuth * Math.PI) / 180;
        const x = middle - Math.sin(a) * far(s);
        const y = middle - Math.cos(a) * far(s);
        const level = Math.abs(s.elevation) <= 1;
        return (
          <g
            key={i}
            data-speaker={s.name}
            className="cursor-grab"
            onPointerDown={(e) => {
              held.current = i;
              e.currentTarget.ownerSVGElement?.setPointerCapture(e.pointerId);
            }}
          >
            <line x1={middle} y1={middle} x2={x} y2={y} stroke="var(--line)" />
            <circle cx={x} cy={y} r={14} fill="transparent" />
            <rect
              x={x - 6}
              y={y - 6}
              width={12}
              height={12}
              fill={level ? "var(--ink)" : "var(--ground)"}
              stroke="var(--ink)"
              strokeWidth={2}
            />
            <text x={x} y={y - 12} textAnchor="middle" fontSize={13} fill="var(--ink)">
              {s.name}
              {!level && ` ${s.elevation > 0 ? "↑" : "↓"}`}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
