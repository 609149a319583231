import { useMemo } from "react";
import { create } from "zustand";
import type { Reel } from "../../api/client";
import { useEditReel, useNameReel, useNewReel } from "../../api/reel";
import { goToReel } from "../../editor/current";
import { useEditor } from "../../editor/store";
import { useReelSteps } from "../../editor/useReelSteps";
import { type Command, useCommandList } from "../../ui/commands";
import { Choice, TextField } from "../../ui/controls";
import { note } from "../../ui/notes";
import { pickFile } from "../../ui/pick";
import { rateNames, rates } from "../../ui/rates";
import { openBring } from "./BringPanel";
import { openCutList } from "./CutListPanel";

type Naming = "new" | "copy" | "span" | "rename" | "rate";

/** What a name is being typed for. */
const useNaming = create<{ of: Naming | null }>(() => ({ of: null }));

const says: Record<Naming, string> = {
  new: "Name of the new reel",
  copy: "Name of the copy",
  span: "Name of the reel of the span",
  rename: "Name of the reel",
  rate: "What the reel's timecode counts in",
};

/** The reels of a production: goes from one to another, makes, copies, cuts down, renames and removes them. */
export function ReelChooser({ production, reel }: { production: string; reel: Reel }) {
  const { all, steps } = useReelSteps(production, reel.id);
  const { mutate: make } = useNewReel(production);
  const { mutate: name } = useNameReel(production);
  const { mutate: edit } = useEditReel(production);
  const naming = useNaming((s) => s.of);
  const list = useMemo<Command[]>(() => {
    const ask = (of: Naming) => () => {
      if (of === "span" && !useEditor.getState().span) note("Choose a span first: drag over the tracks, or S and E.");
      else useNaming.setState({ of });
    };
    return [
      ...steps,
      { id: "new", name: "New reel", run: ask("new") },
      { id: "copy", name: "Copy this reel", run: ask("copy") },
      { id: "span", name: "Make a reel of the span", run: ask("span") },
      { id: "rename", name: "Rename this reel", run: ask("rename") },
      { id: "rate", name: "Count this reel's timecode in another rate", run: ask("rate") },
      { id: "otio", name: "Write this reel as OpenTimelineIO", run: () => download(`/api/reels/${reel.id}/otio`) },
      {
        id: "edl",
        name: "Write the chosen track as an edit decision list",
        run: () => {
          const track = useEditor.getState().tracks[0];
          if (!reel.doc.tracks.some((t) => t.id === track)) note("Choose a track first.");
          else download(`/api/reels/${reel.id}/edl?${new URLSearchParams({ track: track ?? "" })}`);
        },
      },
      { id: "read otio", name: "Read a reel that was written as OpenTimelineIO", run: () => readReel(make) },
      { id: "cut list", name: "Lay a cut list from picture", run: openCutList },
      { id: "bring", name: "Bring over from another reel", run: openBring },
      { id: "remove", name: "Remove this reel", run: () => name({ reel: reel.id, name: null }) },
    ];
  }, [steps, reel, name, make]);
  useCommandList("Reels", list);

  const done = (text: string) => {
    const { span } = useEditor.getState();
    useNaming.setState({ of: null });
    if (!text.trim() || !naming) return;
    if (naming === "rename") name({ reel: reel.id, name: text });
    else if (naming === "new") make({ name: text });
    else if (naming === "copy") make({ name: text, copy: reel.id });
    else if (span) make({ name: text, copy: reel.id, ...span });
  };
  if (naming === "rate") {
    const now = reel.doc.rate ? reel.worked_out.rate_name : "";
    return (
      <Choice
        aria-label={says.rate}
        defaultValue={now}
        ref={(el) => el?.focus()}
        onBlur={() => useNaming.setState({ of: null })}
        onKeyDown={(e) => e.key === "Escape" && useNaming.setState({ of: null })}
        onChange={(e) => {
          const name = e.target.value;
          useNaming.setState({ of: null });
          edit(() => ({
            what: `count in ${name || "the production's rate"}`,
            actions: [{ set_rate: { rate: rates[name] } }],
          }));
        }}
      >
        <option value="">as the production</option>
        {rateNames.map((r) => (
          <option key={r} value={r}>
            {r} frames a second
          </option>
        ))}
      </Choice>
    );
  }
  if (naming) {
    return (
      <TextField
        aria-label={says[naming]}
        placeholder={says[naming]}
        defaultValue={naming === "rename" ? reel.name : ""}
        maxLength={200}
        className="w-52"
        ref={(el) => el?.focus()}
        onKeyDown={(e) => {
          if (e.key === "Enter") done(e.currentTarget.value);
          if (e.key === "Escape") useNaming.setState({ of: null });
        }}
        onBlur={() => useNaming.setState({ of: null })}
      />
    );
  }
  return (
    <Choice
      aria-label="Reel"
      value={reel.id}
      className="w-48"
      onChange={(e) => {
        const c = list.find((c) => `do ${c.id}` === e.target.value);
        if (c) c.run();
        else goToReel(production, e.target.value);
      }}
    >
      {(all ?? [reel]).map((r) => (
        <option key={r.id} value={r.id}>
          {r.name}
        </option>
      ))}
      <optgroup label="Reels">
        {list.slice(2).map((c) => (
          <option key={c.id} value={`do ${c.id}`}>
            {c.name}…
          </option>
        ))}
      </optgroup>
    </Choice>
  );
}

/** Has the browser keep a document, by the name that the server gives it. */
function download(address: string) {
  const a = document.createElement("a");
  a.href = address;
  a.download = "";
  a.click();
}

/** Makes a reel of a document that was written here, under its file's name. */
function readReel(make: (reel: { name: string; otio: string }) => void) {
  pickFile(".otio,.json", async (f) =>
    make({ name: `${f.name.replace(/\.(otio|json)$/i, "")}, read`, otio: await f.text() }),
  );
}
