import { Link } from "@tanstack/react-router";
import { useProductionId } from "../../Shell";
import { Empty, StageHead } from "../../ui/controls";

const says = {
  Measure: {
    title: "Measuring loudness is not part of this version",
    text: "Sample peak and RMS of every output are in the proof of each delivery.",
    next: "delivery",
    link: "See deliveries",
  },
} as const;

/** A stage that has its place and nothing in it yet, and says so. */
export function LaterStage({ name }: { name: keyof typeof says }) {
  const production = useProductionId();
  const s = says[name];
  return (
    <>
      <StageHead title={name} says="" />
      <Empty title={s.title}>
        <p>{s.text}</p>
        <Link to={`/$production/${s.next}`} params={{ production }} className="text-focus underline">
          {s.link}
        </Link>
      </Empty>
    </>
  );
}
