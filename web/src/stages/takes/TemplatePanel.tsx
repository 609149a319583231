import { useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { api, must, type Schemas, type Take } from "../../api/client";
import { keys, useEditSheet, useTemplates } from "../../api/queries";
import { plural } from "../../format";
import { Button, Choice, TextField } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import type { SheetCell } from "./cells";

type Template = Schemas["Template"];

/** Whether a template is meant for a take: as many channels, and its recorder where it names one. */
function fits(t: Template, take: Take): boolean {
  return t.labels.length === take.strands.length && (t.recorder === "" || t.recorder === take.recorder);
}

/** The edits that give a take a template's labels, stems and parts. What a template leaves empty stays. */
function changes(t: Template, take: Take): SheetCell[] {
  return take.strands.flatMap((s, i) =>
    (["label", "stem", "part"] as const)
      .filter((f) => t.labels[i]?.[f] && t.labels[i]?.[f] !== s[f])
      .map((f) => ({ row: s.id, field: f, value: t.labels[i]?.[f], was: s[f] })),
  );
}

type Props = {
  open: boolean;
  onClose: () => void;
  production: string;
  take: Take | undefined;
  chosen: Take[];
  all: Take[];
};

/** Named lists of labels: kept from a take, applied to others, with what would change shown first. */
export function TemplatePanel({ open, onClose, production, take, chosen, all }: Props) {
  const client = useQueryClient();
  const { data: templates } = useTemplates(production);
  const { mutate: edit } = useEditSheet(production);
  const [name, setName] = useState("");
  const [picked, setPicked] = useState("");
  const [reach, setReach] = useState<"chosen" | "all">("chosen");
  const template = templates?.find((t) => t.id === picked) ?? templates?.[0];
  const matching = template ? (reach === "all" ? all : chosen).filter((t) => fits(template, t)) : [];
  const planned = template
    ? matching.map((t) => ({ take: t, cells: changes(template, t) })).filter((p) => p.cells.length > 0)
    : [];
  const refresh = () => client.invalidateQueries({ queryKey: keys.templates(production) });
  const keep = () =>
    take &&
    must(
      api.PUT("/api/productions/{production}/templates", {
        params: { path: { production } },
        body: {
          name: name.trim() || `${take.recorder || "Any recorder"}, ${take.strands.length} channels`,
          recorder: take.recorder,
          labels: take.strands.map((s) => ({ label: s.label, stem: s.stem, part: s.part })),
        },
      }),
    ).then(refresh, failing("Templates of labels"));
  const apply = () => {
    if (!template) return;
    edit({
      what: `apply ${template.name} to ${plural(planned.length, "take")}`,
      cells: planned.flatMap((p) => p.cells),
    });
    onClose();
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Label templates"
      className="flex w-[720px] flex-col"
    >
      <div className="flex items-center gap-2 px-4 pb-3">
        <TextField
          aria-label="Name of the template"
          placeholder={`Name for the labels of ${take?.name ?? "a take"}`}
          value={name}
          onChange={(e) => setName(e.target.value)}
          className="flex-1"
        />
        <Button onClick={keep} disabled={!take}>
          Keep the labels of {take?.name}
        </Button>
      </div>
      {!template ? (
        <p className="px-4 pb-4 text-quiet">
          Label one take, keep its labels here, and apply them to every take of the same recorder and number of
          channels.
        </p>
      ) : (
        <>
          <div className="flex items-center gap-2 border-line border-t px-4 py-3">
            <Choice
              aria-label="Template"
              value={template.id}
              onChange={(e) => setPicked(e.target.value)}
              className="min-w-0 flex-1"
            >
              {templates?.map((t) => (
                <option key={t.id} value={t.id}>
                  {t.name}
                </option>
              ))}
            </Choice>
            <Choice aria-label="Apply to" value={reach} onChange={(e) => setReach(e.target.value as "chosen" | "all")}>
              <option value="chosen">the {plural(chosen.length, "chosen take")}</option>
              <option value="all">all matching takes</option>
            </Choice>
            <Button primary disabled={planned.length === 0} onClick={apply}>
              Apply to {plural(planned.length, "take")}
            </Button>
            <button
              type="button"
              aria-label={`Remove ${template.name}`}
              className="flex h-7 w-7 items-center justify-center text-quiet hover:text-ink"
              onClick={() =>
                must(api.DELETE("/api/templates/{template}", { params: { path: { template: template.id } } })).then(
                  refresh,
                  failing("Templates of labels"),
                )
              }
            >
              <Trash2 size={14} />
            </button>
          </div>
          <ul aria-label="What would change" className="min-h-0 flex-1 overflow-auto px-4 pb-4">
            {planned.length === 0 && (
              <li className="text-quiet">
                Nothing would change: {plural(matching.length, "take")} of this shape, labelled so already.
              </li>
            )}
            {planned.slice(0, 200).map((p) => (
              <li key={p.take.id} className="flex gap-3">
                <span className="w-24 shrink-0 truncate">{p.take.name}</span>
                <span className="min-w-0 truncate text-quiet">
                  {p.cells.map((c) => `${c.was || "nothing"} → ${c.value}`).join(", ")}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </Panel>
  );
}
