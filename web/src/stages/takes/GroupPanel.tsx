import { useQueryClient } from "@tanstack/react-query";
import { GripVertical } from "lucide-react";
import { useState } from "react";
import { api, must, type Take } from "../../api/client";
import { keys, useEditSheet } from "../../api/queries";
import { duration, plural } from "../../format";
import { Button } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { SnagLine } from "../intake/FileCardView";
import { Grouping } from "./Grouping";
import { MoreOfStrand } from "./MoreOfStrand";

type Props = { open: boolean; onClose: () => void; production: string; takes: Take[] };

/** What a group still needs a person to choose; nothing when it can be accepted as it is. */
const needsChoice = (t: Take) => t.snags.some((s) => s.code === "member_length" || s.code === "member_missing");

/** Every take that can have members moved in or out: made of mono files alone. */
const isSet = (t: Take) => t.strands.every((s) => s.channel === 1 && s.file !== "");

/** The groups that files were proposed to form: looked at, mended by moving members, accepted. */
export function GroupPanel({ open, onClose, production, takes }: Props) {
  const client = useQueryClient();
  const { mutate: edit } = useEditSheet(production);
  const [over, setOver] = useState("");
  const move = (file: string, to: string | null) =>
    must(api.POST("/api/files/{file}/move", { params: { path: { file } }, body: to ? { take: to } : {} })).then(
      () => client.invalidateQueries({ queryKey: keys.production(production) }),
      failing("Grouping"),
    );
  const shown = open ? takes : [];
  const proposed = shown.filter((t) => !t.final);
  const plain = proposed.filter((t) => !needsChoice(t));
  const others = shown.filter((t) => t.final && isSet(t) && t.strands.length > 0);
  const acceptAll = () =>
    edit({
      what: `accept ${plural(plain.length, "group")}`,
      cells: plain.map((t) => ({ row: t.id, field: "accepted", value: true, was: false })),
    });
  const group = (t: Take) => {
    const files = new Set(t.strands.map((s) => s.file)).size;
    return (
      <section
        key={t.id}
        role="group"
        aria-label={`Group ${t.name}`}
        onDragOver={(e) => {
          if (!isSet(t)) return;
          e.preventDefault();
          setOver(t.id);
        }}
        onDragLeave={() => setOver("")}
        onDrop={(e) => {
          e.preventDefault();
          setOver("");
          const file = e.dataTransfer.getData("text/x-member");
          if (file && !t.strands.some((s) => s.file === file)) void move(file, t.id);
        }}
        className={`mb-2 border p-2 ${over === t.id ? "border-focus" : "border-line"}`}
      >
        <h3 className="mb-1 flex items-baseline gap-2">
          <span className="font-semibold">{t.name}</span>
          <span className="text-quiet text-small">{plural(files, "file")}</span>
          {t.final && files > 1 && <span className="min-w-0 truncate text-quiet text-small">{t.why}</span>}
        </h3>
        <Grouping take={t} production={production} files={files} />
        {!t.final && t.snags.filter((s) => s.code !== "proposed").map((s) => <SnagLine key={s.message} snag={s} />)}
        <ul aria-label={`Members of ${t.name}`}>
          {t.strands.map((s) => (
            <li
              key={s.id}
              draggable
              onDragStart={(e) => {
                e.dataTransfer.setData("text/x-member", s.file);
                e.dataTransfer.effectAllowed = "move";
              }}
              className="flex h-7 cursor-grab items-center gap-2 hover:bg-raised"
            >
              <GripVertical size={14} aria-hidden="true" className="shrink-0 text-quiet" />
              <span className="figures w-5 shrink-0 text-right text-quiet">{s.position}</span>
              <span className="w-28 shrink-0 truncate" title={s.label}>
                {s.label || "no label"}
              </span>
              <span className="min-w-0 flex-1 truncate text-quiet" title={s.file_name}>
                {s.file_name}
              </span>
              <span className="figures w-16 shrink-0 text-right text-quiet text-small">
                {duration(s.frames, t.sample_rate)}
              </span>
              <MoreOfStrand strand={s} take={t} takes={takes} production={production} />
            </li>
          ))}
        </ul>
      </section>
    );
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Groups of mono files"
      className="flex w-[860px] flex-col"
    >
      <div className="min-h-40 flex-1 overflow-auto px-4">
        <h2 className="mb-1 text-quiet">
          {proposed.length === 0
            ? "No group waits to be looked at."
            : `${plural(proposed.length, "group")} proposed. Drag a member to another group, or out to make it a take of its own.`}
        </h2>
        {proposed.map(group)}
        {others.length > 0 && <h2 className="mt-4 mb-1 text-quiet">Certain or accepted</h2>}
        {others.slice(0, 200).map(group)}
        {others.length > 200 && (
          <p className="text-quiet">and {others.length - 200} more: search for them in the sheet.</p>
        )}
      </div>
      <footer className="flex items-center gap-2 border-line border-t p-4">
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the keyboard's way is each member's list */}
        <div
          onDragOver={(e) => {
            e.preventDefault();
            setOver("off");
          }}
          onDragLeave={() => setOver("")}
          onDrop={(e) => {
            e.preventDefault();
            setOver("");
            const file = e.dataTransfer.getData("text/x-member");
            if (file) void move(file, null);
          }}
          className={`flex h-7 flex-1 items-center border border-dashed px-2 text-quiet ${over === "off" ? "border-focus" : "border-line"}`}
        >
          Drop here to split off
        </div>
        <Button onClick={onClose}>Close</Button>
        <Button primary disabled={plain.length === 0} onClick={acceptAll}>
          {plain.length === proposed.length
            ? "Accept all"
            : `Accept the ${plain.length} of ${proposed.length} that need no choice`}
        </Button>
      </footer>
    </Panel>
  );
}
