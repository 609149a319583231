import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, type EditAction, must, type Reel } from "../../api/client";
import { useEditor } from "../../editor/store";
import { duration } from "../../format";
import { Button } from "../../ui/controls";
import { Panel } from "../../ui/Panel";

const useLaying = create<{ open: boolean }>(() => ({ open: false }));

/** Asks which picture is to be laid, and where. */
export const openLayPicture = () => useLaying.setState({ open: true });

type Props = { reel: Reel; act: (what: string, ...actions: EditAction[]) => void };

/** The files with pictures of the production, to be laid at their timecode or at the pointer. */
export function LayPicturePanel({ reel, act }: Props) {
  const open = useLaying((s) => s.open);
  const { data, error } = useQuery({
    queryKey: ["pictures", reel.id],
    queryFn: () => must(api.GET("/api/reels/{reel}/pictures", { params: { path: { reel: reel.id } } })),
    enabled: open,
    gcTime: 0,
  });
  const close = () => useLaying.setState({ open: false });
  const lay = (f: NonNullable<typeof data>[number], at: number) => {
    act(`lay the picture ${f.name}`, { lay_picture: { file: f.file, name: f.name, at, length: f.length } });
    useEditor.setState((s) => ({ window: s.window === "hidden" ? "small" : s.window }));
    close();
  };
  return (
    <Panel open={open} onOpenChange={(o) => !o && close()} title="Lay a picture" className="flex w-[720px] flex-col">
      <p className="px-4 pb-3 text-quiet">
        {error && <span className="text-bad">{error.message} </span>}
        The picture plays in step with the reel, and moves with the time that is put in or taken out on all tracks. What
        is seen where it is laid makes room. Its sound is laid from Takes.
      </p>
      {data?.length === 0 && (
        <p className="px-4 pb-4">
          No file with a picture has been taken in yet: drop a MOV, MP4, MKV or MXF at Intake.
        </p>
      )}
      <ul aria-label="Files with pictures" className="min-h-0 overflow-auto border-line border-t">
        {data?.map((f) => (
          <li key={f.file} className="flex items-center gap-3 border-line border-b px-4 py-1.5">
            <span className="min-w-0 flex-1 truncate" title={f.name}>
              {f.name}
              {!f.stills && <span className="text-caution"> no small picture could be made</span>}
            </span>
            <span className="figures text-quiet">{duration(f.length, reel.sample_rate)} s</span>
            {f.start !== undefined && (
              <Button primary onClick={() => lay(f, f.start ?? 0)} aria-label={`Lay ${f.name} at ${f.timecode}`}>
                At <span className="figures">{f.timecode}</span>
              </Button>
            )}
            <Button onClick={() => lay(f, useEditor.getState().pointer)} aria-label={`Lay ${f.name} at the pointer`}>
              At the pointer
            </Button>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
