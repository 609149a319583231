import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, must, type Strand, type Take } from "../../api/client";
import { keys } from "../../api/queries";
import { Choice } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { useDetach } from "./Detached";
import { openStrandTreatment } from "./StrandTreatment";

const mostOffered = 200;

/** Takes that a mono file can be put into: the first of those that are sets of mono files, too. */
function setsBeside(take: Take, takes: Take[]): Take[] {
  const out: Take[] = [];
  for (const t of takes) {
    if (out.length === mostOffered) break;
    if (t.id !== take.id && t.sample_rate === take.sample_rate && t.strands.every((o) => o.channel === 1)) out.push(t);
  }
  return out;
}

/** Lets a strand go from its take; puts a mono file into another take, or into one of its own. */
export function MoreOfStrand({
  strand: s,
  take,
  takes,
  production,
  set = true,
}: {
  strand: Strand;
  take: Take;
  takes: Take[];
  production: string;
  set?: boolean;
}) {
  const client = useQueryClient();
  const detach = useDetach(production);
  const move = (to: string) =>
    must(
      api.POST("/api/files/{file}/move", {
        params: { path: { file: s.file } },
        body: to === "off" ? {} : { take: to },
      }),
    ).then(() => client.invalidateQueries({ queryKey: keys.production(production) }), failing("Strand"));
  const sets = useMemo(() => (set ? setsBeside(take, takes) : []), [set, take, takes]);
  return (
    <Choice
      aria-label={set ? `Move ${s.file_name}` : `More for strand ${s.position}`}
      title={s.file_name}
      value=""
      onChange={(e) => {
        if (e.target.value === "treatment") openStrandTreatment(s);
        else if (e.target.value === "detached") void detach(s, !s.detached, 0);
        else if (e.target.value) void move(e.target.value);
      }}
      className="w-6 shrink-0"
    >
      <option value="">…</option>
      <option value="treatment">{s.treated ? `Treatment: ${s.treated}` : "Filters and dynamics…"}</option>
      <option value="detached">{s.detached ? "Bring it home" : "Let it go from its take"}</option>
      {set && <option value="off">Split off into a take of its own</option>}
      {set &&
        sets.map((t) => (
          <option key={t.id} value={t.id}>
            Move to {t.name}
          </option>
        ))}
    </Choice>
  );
}
