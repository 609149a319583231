import type { Patch } from "../api/client";
import { wrong } from "./notes";

/** A factor as it is typed: 0.5, -1, or a level such as "-3 dB"; nothing is 0, and null is neither. */
function factorOf(text: string): number | null {
  const db = /db\s*$/i.test(text);
  const v = Number(
    text
      .replace(/db\s*$/i, "")
      .replace("−", "-")
      .replace(",", ".")
      .trim() || "0",
  );
  if (!Number.isFinite(v)) return null;
  return db ? 10 ** (v / 20) : v;
}

type LevelsProps = { patch: Patch; own: string[]; channels: string[]; set: (p: Patch, what?: string) => void };

/** A level at every crossing, typed into cells or pasted as a spreadsheet has them. */
export function Levels({ patch, own, channels, set }: LevelsProps) {
  const m = patch.matrix ?? [];
  const put = (i: number, j: number, text: string) => {
    const f = factorOf(text);
    if (f === null) {
      wrong("Level", `${text} is neither a factor such as 0.5 nor a level such as −3 dB.`);
      return;
    }
    set({ ...patch, matrix: m.map((row, a) => row.map((o, b) => (a === i && b === j ? f : o))) });
  };
  const paste = (text: string) => {
    const rows = text
      .trim()
      .split(/\r?\n/)
      .map((l) => l.split("\t"));
    if (rows.length !== channels.length || rows.some((r) => r.length !== own.length)) return false;
    const cells = rows.map((r) => r.map(factorOf));
    if (cells.some((r) => r.includes(null))) return false;
    set({ ...patch, matrix: cells as number[][] }, "paste levels");
    return true;
  };
  return (
    <div
      className="max-h-64 overflow-auto"
      onPaste={(e) => paste(e.clipboardData.getData("text")) && e.preventDefault()}
    >
      <table aria-label="A level at every crossing" className="border-separate border-spacing-0">
        <thead>
          <tr>
            <th aria-label="made" />
            {own.map((c) => (
              <th key={c} scope="col" className="font-normal text-quiet text-small">
                {c}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {channels.map((c, i) => (
            <tr key={c}>
              <th scope="row" className="pr-2 text-left font-normal text-small">
                {c}
              </th>
              {own.map((o, j) => (
                <td key={o} className="border-line border p-0">
                  <input
                    key={m[i]?.[j]}
                    aria-label={`${o} in ${c}`}
                    defaultValue={Number((m[i]?.[j] ?? 0).toFixed(4))}
                    className="figures h-6 w-14 bg-ground px-1 text-right"
                    onFocus={(e) => e.target.select()}
                    onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                    onBlur={(e) =>
                      Number(e.target.value) !== Number((m[i]?.[j] ?? 0).toFixed(4)) && put(i, j, e.target.value)
                    }
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
