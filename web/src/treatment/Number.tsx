import { Spline } from "lucide-react";
import { Field } from "../stages/reel/Field";
import { typedWithin } from "../ui/numbers";

type Props = {
  label: string;
  says: string;
  value: number;
  unit: string;
  from: number;
  to: number;
  /** Decimals that are shown. */
  places?: number;
  save: (v: number) => void;
  wide?: string;
  /** What it is over time, where it can move. */
  over?: Over | undefined;
};

/** A figure over time: how many points it has, its value at the pointer, and what is done about it. */
export type Over = {
  says: string;
  points: number;
  here: number;
  /** What is typed stands at the pointer. */
  save: (v: number) => void;
  drawn: boolean;
  draw: () => void;
  still: () => void;
};

/** A figure with its unit, that is typed: "80", "1.2k" where it is a frequency, "−3+1"; see typedNumber. */
export function Figure({ label, says, value, unit, from, to, places = 1, save, over, wide = "w-[76px]" }: Props) {
  const shown = (v: number) => `${Number(v.toFixed(places))} ${unit}`.trim();
  const moves = over && over.points > 0;
  const now = moves ? over.here : value;
  return (
    <>
      <Field
        label={label}
        says={moves ? `${says}, at the pointer` : says}
        value={shown(now)}
        wide={wide}
        parse={(text) => typedWithin(text, from, to)}
        step={{ by: places > 1 ? 0.1 : 1, shown }}
        save={moves ? over.save : save}
      />
      {over && (
        <button
          type="button"
          aria-pressed={over.drawn}
          aria-label={`${says} over time${moves ? `, ${over.points} points` : ""}`}
          title={`${over.says} over time${moves ? ` (${over.points} points; with Alt it stands again)` : ""}`}
          className={`flex h-6 w-6 items-center justify-center hover:text-ink ${over.drawn || moves ? "text-focus" : "text-quiet"} ${over.drawn ? "outline outline-focus -outline-offset-1" : ""}`}
          onClick={(e) => (e.altKey ? over.still() : over.draw())}
        >
          <Spline size={13} aria-hidden="true" />
        </button>
      )}
    </>
  );
}
