import { Field } from "../stages/reel/Field";

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
};

/** A figure with its unit, that is typed: "80", "1.2k" where it is a frequency, "−3". */
export function Figure({ label, says, value, unit, from, to, places = 1, save }: Props) {
  const parse = (text: string) => {
    const m = /^\s*([+−-]?\d+(?:[.,]\d+)?)\s*(k?)\s*[a-zA-Z:]*\s*\d*\s*$/.exec(text);
    if (!m?.[1]) return null;
    const v = Number(m[1].replace("−", "-").replace(",", ".")) * (m[2] ? 1000 : 1);
    return v >= from && v <= to ? v : null;
  };
  return (
    <Field
      label={label}
      says={says}
      value={`${Number(value.toFixed(places))} ${unit}`.trim()}
      wide="w-[76px]"
      parse={parse}
      save={save}
    />
  );
}
