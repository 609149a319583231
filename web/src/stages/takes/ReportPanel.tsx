import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useRef, useState } from "react";
import { api, must, type Schemas } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { plural } from "../../format";
import { Columns, type Mapping, tableText } from "../../ui/Columns";
import { Button } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { SnagLine } from "../intake/FileCardView";

type Props = { open: boolean; onClose: () => void; production: string };

/** Sound reports as CSV: the sheet written as one, and another's read, its match shown first. */
export function ReportPanel({ open, onClose, production }: Props) {
  const file = useRef<HTMLInputElement>(null);
  const [csv, setCsv] = useState({ name: "", text: "" });
  const [columns, setColumns] = useState<Mapping | undefined>();
  const { mutate: edit } = useEditSheet(production);
  const match = useQuery({
    queryKey: ["report", production, csv, columns],
    queryFn: () => readReport({ csv: csv.text, ...(columns ? { columns } : {}) }),
    placeholderData: (before) => (columns ? before : undefined), // the columns stay where they are while one is changed
    enabled: open && csv.text !== "",
    retry: false,
    gcTime: 0,
  });
  const m = match.data;
  const readReport = (body: Schemas["SoundReport"]) =>
    must(api.POST("/api/productions/{production}/sound-report", { params: { path: { production } }, body }));
  const show = (name: string, text: string) => {
    setColumns(undefined);
    setCsv({ name, text });
  };
  const apply = () => {
    if (m) edit({ what: `take ${csv.name} over into ${plural(m.takes, "take")}`, cells: m.cells });
    // What somebody has said of its columns is said of the next such report, too.
    if (columns) readReport({ csv: csv.text, columns, keep: true }).catch(failing("Keep how the columns are read"));
    show("", "");
    onClose();
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Sound report"
      className="flex w-[960px] flex-col overflow-hidden"
    >
      <div className="flex items-center gap-2 px-4 pb-4">
        <a
          href={`/api/productions/${production}/sound-report`}
          download
          className="inline-flex h-7 items-center gap-1.5 bg-raised px-2.5 hover:bg-line"
        >
          <Download size={14} aria-hidden="true" /> Write the sheet as CSV
        </a>
        <a
          href={`/api/productions/${production}/sound-report.pdf`}
          download
          className="inline-flex h-7 items-center gap-1.5 bg-raised px-2.5 hover:bg-line"
        >
          <Download size={14} aria-hidden="true" /> Print as PDF
        </a>
        <Button onClick={() => file.current?.click()}>Read a report…</Button>
        <input
          ref={file}
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          aria-label="Report to read"
          className="sr-only"
          onChange={async (e) => {
            const f = e.target.files?.[0];
            e.target.value = "";
            if (f) show(f.name, await tableText(f));
          }}
        />
        <span className="flex-1" />
        {m && (
          <Button primary disabled={m.cells.length === 0 || match.isPlaceholderData} onClick={apply}>
            Take over {plural(m.cells.length, "cell")}
          </Button>
        )}
      </div>
      {match.isError && (
        <div className="px-4 pb-4">
          <SnagLine
            bad
            snag={{ code: "report", message: match.error instanceof Error ? match.error.message : String(match.error) }}
          />
        </div>
      )}
      {m && (
        <div className="min-h-0 overflow-auto border-line border-t px-4 py-3">
          <p className="mb-2">
            {csv.name}: {plural(m.takes, "take")} found, {plural(m.cells.length, "cell")} would change.
          </p>
          <div className="mb-3">
            <Columns
              table={m.table}
              chosen={columns}
              tracks={Math.max(8, ...m.table.columns.map((c) => Number(/^track (\d+)$/.exec(c.field)?.[1] ?? 0)))}
              change={setColumns}
            />
          </div>
          {m.unmatched.map((u) => (
            <SnagLine key={u} snag={{ code: "unmatched", message: u }} />
          ))}
          <ul aria-label="What the report would change">
            {m.cells.slice(0, 300).map((c, i) => (
              <li key={c.row + c.field}>
                {m.of[i]}, <span className="text-quiet">{c.field.replace("_", " ")}:</span> {String(c.was || "nothing")}{" "}
                → {String(c.value)}
              </li>
            ))}
          </ul>
        </div>
      )}
    </Panel>
  );
}
