import { choose, point, useEditor } from "../../../editor/store";
import { chosenTracks, clipAt } from "../../../editor/targets";
import { stop, useMonitor } from "../../../listening/engine";
import type { Command } from "../../../ui/commands";
import { here, type ReelContext, withClips } from "./context";

/** What is chosen, spans, markers, and where the reel begins and ends. */
export function choosing({ reel, rows, act }: ReelContext): Command[] {
  return [
    {
      id: "choose",
      name: "Choose the clip at the pointer",
      key: "Enter",
      run: () => {
        const at = useEditor.getState().pointer;
        choose(chosenTracks(rows).flatMap((t) => clipAt(t, at)?.id ?? []));
      },
    },
    {
      id: "choose all",
      name: "Choose all clips of the chosen tracks",
      key: "mod+a",
      run: () => choose(chosenTracks(rows).flatMap((t) => t.clips.map((c) => c.id))),
    },
    {
      id: "all tracks",
      name: "Choose all tracks",
      run: () => useEditor.setState({ tracks: rows.map((r) => r.track.id) }),
    },
    {
      id: "let go",
      name: "Stop, or choose nothing",
      key: "Escape",
      run: () => {
        if (useMonitor.getState().hearing) stop();
        else useEditor.setState({ clips: new Set(), marker: "", picture: "", span: null, ghost: null });
      },
    },
    {
      id: "span start",
      name: "Start the span here",
      key: "s",
      run: () =>
        useEditor.setState((s) => {
          const at = here(reel);
          return { span: { from: at, to: Math.max(s.span?.to ?? 0, at + 1) } };
        }),
    },
    {
      id: "span end",
      name: "End the span here",
      key: "e",
      run: () =>
        useEditor.setState((s) => {
          const at = here(reel);
          return { span: { from: Math.min(s.span?.from ?? s.pointer, at - 1), to: at } };
        }),
    },
    {
      id: "span clips",
      name: "Span over what is chosen",
      run: () =>
        withClips(rows, (clips) =>
          useEditor.setState({
            span: {
              from: Math.min(...clips.map((l) => l.clip.at)),
              to: Math.max(...clips.map((l) => l.clip.at + l.clip.length)),
            },
          }),
        ),
    },
    {
      id: "mark",
      name: "Put a marker here, or over the span",
      key: "mod+Enter",
      run: () => {
        const { span } = useEditor.getState();
        const id = crypto.randomUUID();
        const n = (reel.doc.markers?.length ?? 0) + 1;
        const at = span?.from ?? here(reel);
        const put = [{ id, at, length: span ? span.to - span.from : 0, name: `Marker ${n}` }];
        act(`put marker ${n}`, { set_markers: { put } });
        useEditor.setState({ marker: id, picture: "", clips: new Set() });
      },
    },
    {
      id: "next marker",
      name: "Pointer to the next marker",
      run: () => {
        const next = reel.doc.markers?.find((m) => m.at > useEditor.getState().pointer);
        if (next) {
          useEditor.setState({ marker: next.id, picture: "" });
          point(next.at);
        }
      },
    },
    {
      id: "start here",
      name: "The reel starts at the pointer",
      run: () => act("start the reel at the pointer", { set_start: { start: useEditor.getState().pointer } }),
    },
    {
      id: "end here",
      name: "The reel ends at the pointer: what lies beyond is kept, and not delivered",
      run: () => {
        const length = useEditor.getState().pointer - reel.worked_out.start;
        if (length > 0) act("end the reel at the pointer", { set_length: { length } });
      },
    },
    {
      id: "free",
      name: "The reel starts and ends with its clips",
      run: () => act("let the reel follow its clips", { set_start: { start: null } }, { set_length: { length: null } }),
    },
    {
      id: "alone",
      name: "Act on one clip alone, or on all that are tied",
      key: "k",
      run: () => useEditor.setState((s) => ({ alone: !s.alone })),
    },
    {
      id: "snap",
      name: "Catch on edges and the pointer, or on nothing",
      run: () => useEditor.setState((s) => ({ snap: !s.snap })),
    },
  ];
}
