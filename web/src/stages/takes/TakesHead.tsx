import { Rows2, Rows4 } from "lucide-react";
import { plural } from "../../format";
import { Button, Choice, StageHead, TextField } from "../../ui/controls";
import type { TakesPanel } from "./useTakesCommands";

type Props = {
  says: string;
  query: string;
  onQuery: (text: string) => void;
  group: string;
  onGroup: (by: string) => void;
  sort: string;
  onSort: (by: string) => void;
  /** Groups of files that wait to be looked at. */
  proposed: number;
  tall: boolean;
  onTall: () => void;
  /** How many takes are chosen. */
  chosen: number;
  onPanel: (panel: TakesPanel) => void;
};

/** The head of the stage: what is shown of the takes and in which order, and what is done with those chosen. */
export function TakesHead({
  says,
  query,
  onQuery,
  group,
  onGroup,
  sort,
  onSort,
  proposed,
  tall,
  onTall,
  chosen,
  onPanel,
}: Props) {
  return (
    <StageHead title="Takes" says={says}>
      <TextField
        type="search"
        data-take-search
        aria-label="Search takes"
        placeholder="scene:21 circled"
        title="All of it must hold. scene: take: roll: note: day: recorder: label: stem: part: file: name a field; circled, wild, snag, proposed, suggested, unlabelled, laid name a state; a minus turns a word round"
        value={query}
        onChange={(e) => onQuery(e.target.value)}
        onKeyDown={(e) =>
          (e.key === "Enter" || e.key === "Escape") && document.querySelector<HTMLElement>("[data-sheet]")?.focus()
        }
        className="w-[160px]"
      />
      <Choice aria-label="Group takes" value={group} onChange={(e) => onGroup(e.target.value)}>
        <option value="kind">Cameras apart</option>
        <option value="none">No groups</option>
        <option value="scene">By scene</option>
        <option value="day">By day</option>
        <option value="recorder">By recorder</option>
      </Choice>
      <Choice aria-label="Sort takes" value={sort} onChange={(e) => onSort(e.target.value)}>
        <option value="scene">Scene and take</option>
        <option value="start">By start</option>
        <option value="longest">Longest first</option>
        <option value="snags">Snags first</option>
      </Choice>
      {proposed > 0 && (
        <Button onClick={() => onPanel("groups")} className="text-caution">
          {plural(proposed, "group")} proposed…
        </Button>
      )}
      <Button
        onClick={onTall}
        aria-pressed={tall}
        aria-label="Taller rows"
        title="Taller rows, or lower ones"
        className="!px-1.5"
      >
        {tall ? <Rows4 size={16} /> : <Rows2 size={16} />}
      </Button>
      <Button onClick={() => onPanel("report")}>Report…</Button>
      <Button onClick={() => onPanel("templates")}>Templates…</Button>
      <Button onClick={() => onPanel("write")} disabled={chosen === 0} className="w-[104px] justify-center">
        Write out {chosen > 1 ? chosen : "…"}
      </Button>
    </StageHead>
  );
}
