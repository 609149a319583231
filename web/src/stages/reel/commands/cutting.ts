import { pasting } from "../../../editor/paste";
import { useEditor } from "../../../editor/store";
import { chosenTracks, targets } from "../../../editor/targets";
import { plural } from "../../../format";
import type { Command } from "../../../ui/commands";
import { note } from "../../../ui/notes";
import { borrow } from "../borrowing";
import { openPrint } from "../printing";
import { chosenPicture, crossfade, here, ids, named, type ReelContext, withClips, withSpan } from "./context";

const longestGap = 2; // seconds that room tone fills

/** Cuts, edges, moves, gaps and copies: where clips lie and what of the sound they show. */
export function cutting({ production: pr, reel, rows, act }: ReelContext): Command[] {
  const frame = (pr.sample_rate * pr.rate.den) / pr.rate.num;
  const tracks = () => chosenTracks(rows).map((t) => t.id);
  const trim = (edge: "head" | "tail") => () =>
    withClips(rows, (c, alone) =>
      act(`trim the ${edge} of ${named(c)}`, { trim: { clips: ids(c), edge, to: here(reel), alone } }),
    );
  const nudge = (samples: number, words: string) => () => {
    const x = chosenPicture(reel);
    const by = Math.round(samples);
    if (x)
      act(`move the picture ${x.name} ${words}`, (now) => {
        const p = chosenPicture(now);
        return p && { set_pictures: { put: [{ ...p, at: Math.max(0, p.at + by) }] } };
      });
    else withClips(rows, (c, alone) => act(`move ${named(c)} ${words}`, { move: { clips: ids(c), by, alone } }));
  };
  const slip = (samples: number, words: string) => () =>
    withClips(rows, (c, alone) =>
      act(`slip ${named(c)} ${words}`, { slip: { clips: ids(c), by: Math.round(samples), alone } }),
    );
  const remove = (close: "" | "tracks" | "all") => () => {
    const { span, clips, alone } = useEditor.getState();
    const x = chosenPicture(reel);
    if (x) {
      act(`take the picture ${x.name} out`, { set_pictures: { remove: [x.id] } });
      return;
    }
    const says = { "": "", tracks: " and close the gap", all: " and close the gap on all tracks" }[close];
    if (span && clips.size === 0)
      act(`remove the span${says}`, { remove_span: { from: span.from, to: span.to, tracks: tracks(), alone, close } });
    else withClips(rows, (c) => act(`remove ${named(c)}${says}`, { remove: { clips: ids(c), alone, close } }));
  };
  const copy = () =>
    withClips(rows, (c) => {
      const of = new Map(reel.doc.tracks.map((t) => [t.id, t]));
      const copied = c.map((l) => ({
        ...l,
        label: of.get(l.track)?.label ?? "",
        layout: of.get(l.track)?.layout ?? "",
      }));
      useEditor.setState({ clipboard: copied });
      note(`${named(c)} copied.`);
    });
  const paste = (by: (first: number) => number) => () => {
    const { clipboard } = useEditor.getState();
    if (clipboard.length === 0) {
      note("Nothing was copied yet.");
      return;
    }
    const first = Math.min(...clipboard.map((l) => l.clip.at));
    const { tracks, actions } = pasting(reel, clipboard, by(first), () => crypto.randomUUID());
    if (tracks > 0) note(`${plural(tracks, "track")} made for what is pasted: nothing of the same label was here.`);
    act(`paste ${named([...clipboard])}`, ...actions);
  };
  const extend = (edge: "head" | "tail") => () =>
    withClips(rows, (c, alone) => act(`extend ${named(c)}`, { extend: { clips: ids(c), edge, alone } }));
  return [
    {
      id: "cut",
      name: "Cut here",
      key: "c",
      run: () => {
        const { clips, alone } = useEditor.getState();
        const at = here(reel);
        const which = targets(rows).filter((l) => l.clip.at < at && at < l.clip.at + l.clip.length);
        if (clips.size > 0 && which.length > 0) act(`cut ${named(which)}`, { cut: { at, clips: ids(which), alone } });
        else act("cut", { cut: { at, tracks: tracks(), alone } });
      },
    },
    { id: "cut all", name: "Cut all tracks here", run: () => act("cut all tracks", { cut: { at: here(reel) } }) },
    {
      id: "cut span",
      name: "Cut at both ends of the span",
      run: () =>
        withSpan((s) =>
          act("cut out the span", { cut: { at: s.from, tracks: tracks() } }, { cut: { at: s.to, tracks: tracks() } }),
        ),
    },
    {
      id: "join",
      name: "Join again what was cut",
      key: "j",
      run: () => withClips(rows, (c, alone) => act(`join ${named(c)}`, { join: { clips: ids(c), alone } })),
    },
    { id: "head", name: "Trim the head to here", key: "h", run: trim("head") },
    { id: "tail", name: "Trim the tail to here", key: "t", run: trim("tail") },
    { id: "extend", name: "Extend to the next clip", run: extend("tail") },
    { id: "extend head", name: "Extend back to the clip before", run: extend("head") },
    { id: "nudge later", name: "Move a frame later", key: ".", run: nudge(frame, "a frame later") },
    { id: "nudge earlier", name: "Move a frame earlier", key: ",", run: nudge(-frame, "a frame earlier") },
    {
      id: "nudge ms later",
      name: "Move a millisecond later",
      key: ">",
      run: nudge(pr.sample_rate / 1000, "1 ms later"),
    },
    {
      id: "nudge ms earlier",
      name: "Move a millisecond earlier",
      key: "<",
      run: nudge(-pr.sample_rate / 1000, "1 ms earlier"),
    },
    { id: "sample later", name: "Move a sample later", run: nudge(1, "a sample later") },
    { id: "sample earlier", name: "Move a sample earlier", run: nudge(-1, "a sample earlier") },
    { id: "slip later", name: "Slip the sound a frame later in its clip", run: slip(frame, "a frame later") },
    { id: "slip earlier", name: "Slip the sound a frame earlier in its clip", run: slip(-frame, "a frame earlier") },
    {
      id: "move here",
      name: "Move what is chosen to the pointer",
      run: () =>
        withClips(rows, (c, alone) => {
          const by = useEditor.getState().pointer - Math.min(...c.map((l) => l.clip.at));
          act(`move ${named(c)} to the pointer`, { move: { clips: ids(c), by, alone } });
        }),
    },
    {
      id: "home",
      name: "Bring it home to where its take has it",
      key: "b",
      run: () => withClips(rows, (c) => act(`bring ${named(c)} home`, { home: { clips: ids(c) } })),
    },
    {
      id: "meant",
      name: "It is meant to lie where it does",
      run: () =>
        withClips(rows, (c) => act(`${named(c)} is meant to lie there`, { home: { clips: ids(c), meant: true } })),
    },
    { id: "remove", name: "Remove and leave the gap", key: "Delete", also: "Backspace", run: remove("") },
    {
      id: "close",
      name: "Remove and close the gap on these tracks",
      key: "shift+Delete",
      also: "shift+Backspace",
      run: remove("tracks"),
    },
    {
      id: "close all",
      name: "Remove and close the gap on all tracks",
      key: "mod+Delete",
      also: "mod+Backspace",
      run: remove("all"),
    },
    {
      id: "insert",
      name: "Put time in: as much as the span, on all tracks",
      run: () => withSpan((s) => act("put time in", { insert_time: { at: s.from, by: s.to - s.from } })),
    },
    {
      id: "keep span",
      name: "Keep only the span",
      run: () => withSpan((s) => act("keep only the span", { remove_span: { from: s.from, to: s.to, keep: true } })),
    },
    { id: "copy", name: "Copy", key: "mod+c", run: copy },
    {
      id: "cut out",
      name: "Copy and remove",
      key: "mod+x",
      run: () => {
        copy();
        remove("")();
      },
    },
    {
      id: "paste",
      name: "Paste at the pointer",
      key: "mod+v",
      run: paste((first) => useEditor.getState().pointer - first),
    },
    { id: "paste back", name: "Paste at the original time", key: "mod+shift+v", run: paste(() => 0) },
    {
      id: "duplicate",
      name: "Duplicate behind itself",
      key: "mod+d",
      run: () =>
        withClips(rows, (c) => {
          const from = Math.min(...c.map((l) => l.clip.at));
          const to = Math.max(...c.map((l) => l.clip.at + l.clip.length));
          act(`duplicate ${named(c)}`, { paste: { clips: c, by: to - from } });
        }),
    },
    {
      id: "gaps",
      name: `Close gaps of up to ${longestGap} s on the chosen tracks: extend the clip before`,
      run: () =>
        act("close gaps", {
          close_gaps: { from: 0, to: reel.worked_out.end, tracks: tracks(), longest: longestGap * pr.sample_rate },
        }),
    },
    {
      id: "room",
      name: `Fill gaps of up to ${longestGap} s on the chosen tracks with the span as room tone`,
      run: () =>
        withSpan((s) =>
          act("fill gaps with room tone", {
            close_gaps: {
              from: 0,
              to: reel.worked_out.end,
              tracks: tracks(),
              longest: longestGap * pr.sample_rate,
              tone: { from: s.from, to: s.to, fade: Math.round(crossfade * pr.sample_rate) },
            },
          }),
        ),
    },
    {
      id: "borrow",
      name: "Borrow a line for the span from another take or strand",
      key: "mod+b",
      run: () => borrow(chosenTracks(rows)[0]?.id),
    },
    {
      id: "print",
      name: "Print what is chosen in place: clips, or the span over the tracks",
      key: "mod+i",
      run: () => {
        const { clips, span, alone, tracks: chosen } = useEditor.getState();
        if (clips.size > 0) openPrint(reel, { clips: [...clips], alone });
        else if (span) openPrint(reel, { tracks: tracks(), ...span });
        else if (chosen.length > 0) openPrint(reel, { tracks: [...chosen] });
        else note("Choose clips, a span or tracks first: they become one new recording a take.");
      },
    },
    {
      id: "apart",
      name: "Take a clip of several channels apart: a pair a track",
      run: () =>
        withClips(rows, (c) => {
          const width = c[0]?.clip.strands.length ?? 0;
          const groups = Array.from({ length: Math.ceil(width / 2) }, (_, i) =>
            2 * i + 1 < width
              ? { channels: [2 * i, 2 * i + 1], layout: "stereo" }
              : { channels: [2 * i], layout: "mono" },
          );
          act(`take ${named(c)} apart`, { take_apart: { clips: ids(c), groups } });
        }),
    },
  ];
}
