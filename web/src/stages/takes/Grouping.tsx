import type { Take } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { Button } from "../../ui/controls";
import type { SheetCell } from "./cells";
import { groupWords } from "./groupWords";

/** What makes the take's files one, and what is to be done where that is not certain. */
export function Grouping({ take, production, files }: { take: Take; production: string; files: number }) {
  const { mutate: edit, isPending } = useEditSheet(production);
  const has = (code: string) => take.snags.some((s) => s.code === code);
  const set = (what: string, ...cells: [SheetCell["field"], unknown][]) =>
    edit({ what: `${what} ${take.name}`, cells: cells.map(([field, value]) => ({ row: take.id, field, value })) });
  if (take.final && !has("member_missing") && !has("member_length")) return null;
  return (
    <div className="mb-2 flex items-center gap-2 border-caution border-l-4 bg-raised px-3 py-2">
      <p className="min-w-0 flex-1">{groupWords(take, files)}</p>
      {has("member_length") ? (
        <>
          <Button
            disabled={isPending}
            primary
            onClick={() => set("pad and accept", ["length_remedy", "pad"], ["accepted", true])}
          >
            Pad at the end
          </Button>
          <Button
            disabled={isPending}
            onClick={() => set("end with the shortest and accept", ["length_remedy", "shortest"], ["accepted", true])}
          >
            End with the shortest
          </Button>
        </>
      ) : has("member_missing") ? (
        <>
          <Button
            disabled={isPending || take.missing_remedy === "wait"}
            onClick={() => set("wait for the rest of", ["missing_remedy", "wait"])}
          >
            {take.missing_remedy === "wait" ? "Waiting for the file" : "Wait for the file"}
          </Button>
          <Button
            disabled={isPending}
            primary
            onClick={() => set("take without the missing member:", ["missing_remedy", "without"], ["accepted", true])}
          >
            Take without it
          </Button>
        </>
      ) : (
        <Button disabled={isPending} primary onClick={() => set("accept the group", ["accepted", true])}>
          Accept the group
        </Button>
      )}
    </div>
  );
}
