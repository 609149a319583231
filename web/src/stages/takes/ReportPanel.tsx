import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useRef, useState } from "react";
import { api, must } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { plural } from "../../format";
import { Button } from "../../ui/controls";
import { Panel } from "../../ui/Panel";
import { SnagLine } from "../intake/FileCardView";

type Props = { open: boolean; onClose: () => void; production: string };

/** Sound reports as CSV: the sheet written as one, and another's read, its match shown first. */
export function ReportPanel({ open, onClose, production }: Props) {
  const file = useRef<HTMLInputElement>(null);
  const [csv, setCsv] = useState({ name: "", text: "" });
  const { mutate: edit } = useEditSheet(production);
  const match = useQuery({
    queryKey: ["report", production, csv],
    queryFn: () =>
      must(
        api.POST("/api/productions/{production}/sound-report", {
          params: { path: { production } },
          body: { csv: csv.text },
        }),
      ),
    enabled: open && csv.text !== "",
    retry: false,
    gcTime: 0,
  });
  const m = match.data;
  const apply = () => {
    if (m) edit({ what: `take ${csv.name} over into ${plural(m.takes, "take")}`, cells: m.cells });
    setCsv({ name: "", text: "" });
    onClose();
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Sound report"
      className="flex w-[720px] flex-col overflow-hidden"
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
            if (f) setCsv({ name: f.name, text: await f.text() });
          }}
        />
        <span className="flex-1" />
        {m && (
          <Button primary disabled={m.cells.length === 0} onClick={apply}>
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
          <h3 className="text-quiet text-small">Its columns were read as</h3>
          <ul aria-label="Columns of the report" className="mb-2 flex flex-wrap gap-x-4">
            {m.columns.map((c) => (
              <li key={c.heading}>
                {c.heading} <span className={c.field ? "text-good" : "text-quiet"}>{c.field || "not used"}</span>
              </li>
            ))}
          </ul>
          {m.unmatched.map((u) => (
            <SnagLine key={u} snag={{ code: "unmatched", message: u }} />
          ))}
          <ul aria-label="What the report would change">
            {m.cells.slice(0, 300).map((c) => (
              <li key={c.row + c.field}>
                <span className="text-quiet">{c.field.replace("_", " ")}:</span> {String(c.was || "nothing")} →{" "}
                {String(c.value)}
              </li>
            ))}
          </ul>
        </div>
      )}
    </Panel>
  );
}
