import type { Production, Take } from "../../api/client";
import { fromHome } from "../../format";
import { Choice } from "../../ui/controls";

/** Which strand of a take is seen and heard. */
export function StrandChoice({
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
          {s.detached && `, ${fromHome(s.shift, take.sample_rate, rate)}`}
        </option>
      ))}
    </Choice>
  );
}
