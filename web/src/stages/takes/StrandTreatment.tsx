import { create } from "zustand";
import type { Strand, Take } from "../../api/client";
import { useEditSheet } from "../../api/queries";
import { useReel } from "../../api/reel";
import { ChainEditor } from "../../treatment/ChainEditor";
import { type Chain, treats } from "../../treatment/treating";
import { Button } from "../../ui/controls";
import { Panel } from "../../ui/Panel";

const useTreated = create<{ strand: string }>(() => ({ strand: "" }));

/** Asks for the treatment of a strand. */
export const openStrandTreatment = (s: Strand) => useTreated.setState({ strand: s.id });

/** Filters and dynamics of a strand, wherever it is used: in every reel, written out, heard. */
export function StrandTreatment({ take, production }: { take: Take; production: string }) {
  const id = useTreated((s) => s.strand);
  const s = take.strands.find((o) => o.id === id);
  const { data: reel } = useReel(production);
  const { mutate: edit } = useEditSheet(production);
  if (!s || !reel) return null;
  const put = (what: string, value: Chain) =>
    edit({
      what: `${what} of strand ${s.position} of ${take.name}`,
      cells: [{ row: s.id, field: "chain", value, was: s.chain }],
    });
  const close = () => useTreated.setState({ strand: "" });
  return (
    <Panel
      open
      onOpenChange={(open) => !open && close()}
      title={`Treatment of strand ${s.position}, ${s.label || "no label"}`}
      className="flex w-[448px] flex-col overflow-auto"
    >
      <p className="px-3 pb-2 text-quiet">
        It holds wherever the strand is used: in every reel, heard alone, and where the take is measured.
      </p>
      <ChainEditor reel={reel} chain={s.chain} put={(what, part) => put(what, { ...s.chain, ...part })} />
      <footer className="flex gap-1.5 border-line border-t px-3 py-2">
        <Button
          aria-pressed={!!s.chain.off}
          onClick={() => put("turn the treatment off or on", { ...s.chain, off: !s.chain.off })}
        >
          {s.chain.off ? "Off" : "On"}
        </Button>
        <Button disabled={!treats(s.chain) && !s.chain.off} onClick={() => put("take the treatment away", {})}>
          Take it away
        </Button>
      </footer>
    </Panel>
  );
}
