import type { Schemas } from "../../api/client";

const lowest = -60;
const width = 560;
const height = 72;

/** Short-term loudness of a programme over time as its files hold it, with what is asked as a thread across it. */
export function LoudnessGraph({ measure: m }: { measure: Schemas["FileMeasure"] }) {
  const line = m.line ?? [];
  const y = (v: number) => (height * Math.min(1, Math.max(0, v / lowest))).toFixed(1);
  const step = Math.max(1, Math.ceil(line.length / width));
  const points: string[] = [];
  for (let i = 0; i < line.length; i += step) {
    const v = Math.max(...line.slice(i, i + step));
    points.push(`${((width * i) / Math.max(1, line.length - 1)).toFixed(1)},${y(v)}`);
  }
  const asked = m.verdicts?.find((v) => v.what === "integrated loudness");
  const at = asked ? Number.parseFloat(asked.asked) : Number.NaN;
  return (
    <figure aria-label={`Short-term loudness of ${m.name} over time`} className="m-0">
      <svg
        viewBox={`0 0 ${width + 70} ${height + 2}`}
        className="w-full max-w-[720px] border-line border-l"
        aria-hidden="true"
      >
        {[-20, -40, -60].map((v) => (
          <line key={v} x1="0" x2={width} y1={y(v)} y2={y(v)} stroke="var(--color-line)" strokeWidth="1" />
        ))}
        {!Number.isNaN(at) && (
          <>
            <line x1="0" x2={width} y1={y(at)} y2={y(at)} stroke="var(--color-caution)" strokeWidth="1" />
            <text x={width + 4} y={Number(y(at)) + 4} fontSize="11" fill="var(--color-caution)">
              {at.toFixed(1)} LUFS
            </text>
          </>
        )}
        <polyline points={points.join(" ")} fill="none" stroke="var(--color-focus)" strokeWidth="1.5" />
      </svg>
    </figure>
  );
}
