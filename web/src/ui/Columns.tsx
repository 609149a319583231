import type { Schemas } from "../api/client";
import { Choice } from "./controls";

type Read = Schemas["ColumnsRead"];
export type Mapping = Schemas["ColumnMapping"];

/** How a table is read as a mapping, to be changed. */
const mappingOf = (t: Read): Mapping => ({ head: t.head, fields: t.columns.map((c) => c.field) });

type Props = { table: Read; chosen: Mapping | undefined; tracks?: number; change: (m: Mapping) => void };

/**
 * The first lines of a table that comes in, and above each column what it holds: as its headings say, as somebody has said
 * before, or as is chosen here. `change` gets the whole mapping, and `chosen` is what it was told last: the table may still be
 * read by what was said before. `tracks` are offered where a column can hold a track's label.
 */
export function Columns({ table, chosen, tracks = 0, change }: Props) {
  const now = chosen ?? mappingOf(table);
  const lines = [{ at: 0, cells: table.columns.map((c) => c.heading) }].concat(
    table.lines.map((cells, i) => ({ at: i + 1, cells })),
  );
  const choices = [
    ...table.choices,
    ...Array.from({ length: tracks }, (_, i) => ({ field: `track ${i + 1}`, says: `label of track ${i + 1}` })),
  ];
  return (
    <section aria-label="Columns" className="flex flex-col gap-1">
      <p className={table.recognised ? "text-quiet text-small" : "text-caution"}>
        {!table.recognised
          ? `What its columns hold is not known: say it above each. Its headings are taken from line ${table.head}.`
          : table.kept
            ? "Its columns are read as was said of such a table before."
            : `Its columns are read by their headings, in line ${table.head}.`}
      </p>
      <div className="overflow-x-auto">
        <table className="border-separate border-spacing-0 text-small">
          <thead>
            <tr>
              {table.columns.map((c, i) => (
                <th key={i} scope="col" className="border-line border-b px-1 pb-1 text-left font-normal">
                  <Choice
                    value={now.fields[i]}
                    aria-label={`Column ${i + 1}, ${c.heading || "without a heading"}, holds`}
                    className={`w-40 ${now.fields[i] ? "" : "text-quiet"}`}
                    onChange={(e) => {
                      const field = e.target.value;
                      // One column alone holds it.
                      change({
                        ...now,
                        fields: now.fields.map((f, k) => (k === i ? field : field && f === field ? "" : f)),
                      });
                    }}
                  >
                    <option value="">not used</option>
                    {choices.map((o) => (
                      <option key={o.field} value={o.field}>
                        {o.says}
                      </option>
                    ))}
                    {c.field && !choices.some((o) => o.field === c.field) && <option value={c.field}>{c.field}</option>}
                  </Choice>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lines.map((l) => (
              <tr key={l.at} className={l.at === 0 ? "text-quiet" : ""}>
                {table.columns.map((_, i) => (
                  <td key={i} className="max-w-44 truncate px-2 py-0.5" title={l.cells[i]}>
                    {l.cells[i]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

/** The text of a table, as UTF-8, UTF-16 with a mark, or the one byte a letter that spreadsheets still write. */
export async function tableText(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const mark = `${bytes[0]} ${bytes[1]}`;
  if (mark === "255 254") return new TextDecoder("utf-16le").decode(bytes);
  if (mark === "254 255") return new TextDecoder("utf-16be").decode(bytes);
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder("windows-1252").decode(bytes);
  }
}
