import { level } from "./figures";

type Figures = {
  integrated?: number | null;
  range?: number | null;
  momentary?: number | null;
  shortTerm?: number | null;
  truePeak?: number | null;
};

/** Figures before and after a correction, side by side; what is not known after is left out. */
export function BeforeAfter({ before, after }: { before: Figures; after: Figures }) {
  const rows = [
    ["integrated", "LUFS", "integrated"],
    ["short-term at most", "LUFS", "shortTerm"],
    ["momentary at most", "LUFS", "momentary"],
    ["range", "LU", "range"],
    ["true peak at most", "dBTP", "truePeak"],
  ] as const;
  return (
    <table aria-label="Before and after" className="w-full">
      <thead>
        <tr className="text-quiet text-small">
          <th scope="col">
            <span className="sr-only">what</span>
          </th>
          <th scope="col" className="text-right font-normal">
            before
          </th>
          <th scope="col" className="text-right font-normal">
            after
          </th>
          <th scope="col">
            <span className="sr-only">unit</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows
          .filter(([, , key]) => after[key] !== undefined)
          .map(([what, unit, key]) => (
            <tr key={key}>
              <th scope="row" className="text-left font-normal text-quiet">
                {what}
              </th>
              <td className="figures text-right">{level(before[key])}</td>
              <td className="figures text-right">{level(after[key])}</td>
              <td className="w-12 pl-1 text-quiet text-small">{unit}</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}
