/** Writes rows as tab-separated text, as spreadsheets take it: quoted where a cell needs it. */
export function writeTSV(rows: string[][]): string {
  return rows
    .map((r) => r.map((c) => (/[\t\n\r"]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join("\t"))
    .join("\n");
}

/** Reads tab-separated text as spreadsheets give it. A line break at the end makes no row. */
export function readTSV(text: string): string[][] {
  const rows: string[][] = [[""]];
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i] as string;
    const row = rows[rows.length - 1] as string[];
    const last = row.length - 1;
    if (quoted) {
      if (c !== '"') row[last] += c;
      else if (text[i + 1] === '"') {
        row[last] += '"';
        i++;
      } else quoted = false;
    } else if (c === '"' && row[last] === "") quoted = true;
    else if (c === "\t") row.push("");
    else if (c === "\n") rows.push([""]);
    else if (c !== "\r") row[last] += c;
  }
  if (rows.length > 1 && rows[rows.length - 1]?.join("") === "") rows.pop();
  return rows;
}
