import type { Fade, Reel } from "../../../api/client";
import { thinned, withPoint } from "../../../editor/envelope";
import { type Enveloped, ofLane, ofSound, overLanes } from "../../../editor/enveloped";
import { useEditor } from "../../../editor/store";
import { chosenTracks } from "../../../editor/targets";
import { plural } from "../../../format";
import { valueAt } from "../../../timeline/curve";
import { openTreatment, treats } from "../../../treatment/treating";
import type { Command } from "../../../ui/commands";
import { note } from "../../../ui/notes";
import { flipTreatment } from "../hearing";
import { clampGain, crossfade, here, ids, named, type ReelContext, withClips, withSpan } from "./context";

const dipDb = -6;
const dipRamp = 0.05; // seconds
const offRamp = 0.005;

/** Fades, dips, ranges off, envelopes: how clips sound. */
export function sounding({ production: pr, reel, rows, act }: ReelContext): Command[] {
  const samples = (seconds: number) => Math.round(seconds * pr.sample_rate);
  const tracks = () => chosenTracks(rows).map((t) => t.id);
  const fade = (end: "in" | "out") => () =>
    withClips(rows, (c, alone) => {
      const at = here(reel);
      const first = c[0]?.clip;
      if (!first) return;
      const length = end === "in" ? at - first.at : first.at + first.length - at;
      if (length < 0 || length > first.length) {
        note(`The pointer is not in ${first.name}: a fade ${end} lasts to where it is.`);
        return;
      }
      const f: Fade = { shape: (end === "in" ? first.fade_in : first.fade_out)?.shape ?? "", length };
      act(`fade ${named(c)} ${end}`, { fade: { clips: ids(c), [end]: f, alone } });
    });
  const shape = (s: NonNullable<Fade["shape"]>, words: string): Command => ({
    id: `shape ${s}`,
    name: `Fades of what is chosen: ${words}`,
    run: () =>
      withClips(rows, (c, alone) =>
        act(
          `fades of ${named(c)}: ${words}`,
          ...c
            .filter((l) => l.clip.fade_in?.length || l.clip.fade_out?.length)
            .map((l) => ({
              fade: {
                clips: [l.clip.id],
                in: l.clip.fade_in?.length ? { ...l.clip.fade_in, shape: s } : undefined,
                out: l.clip.fade_out?.length ? { ...l.clip.fade_out, shape: s } : undefined,
                alone,
              },
            })),
        ),
      ),
  });
  const dip = (db: number, words: string) => () =>
    withSpan((s) =>
      act(`${words} the span`, { dip: { from: s.from, to: s.to, tracks: tracks(), db, ramp: samples(dipRamp) } }),
    );
  // Envelopes are of what is chosen: clips, or tracks while their levels or positions are drawn.
  const withEnvelopes = (run: (of: Enveloped[]) => void) => {
    const { drawing } = useEditor.getState();
    if (overLanes(drawing)) run(chosenTracks(rows).flatMap((t) => ofLane(reel, t, drawing) ?? []));
    else
      withClips(rows, (c) =>
        run(
          c.flatMap((l) => {
            const t = reel.doc.tracks.find((o) => o.id === l.track);
            return (t && ofSound(reel, t, l.clip, drawing)) ?? [];
          }),
        ),
      );
  };
  const whose = (of: Enveloped[]) => (of.length === 1 ? (of[0]?.says ?? "") : plural(of.length, "envelope"));
  const envelope = (up: 1 | -1) => () =>
    withEnvelopes((of) => {
      if (of.length === 0) return;
      const at = useEditor.getState().pointer;
      act(
        `${whose(of)} ${up > 0 ? "higher" : "lower"}`,
        ...of.map((was) => (now: Reel) => {
          const o = was.in(now);
          if (!o) return undefined;
          const inside = o.shift + at;
          const here = o.drawn.gain?.length ? valueAt(o.drawn.gain, inside) : o.rest;
          return o.put(withPoint(o.drawn, inside, here + up * o.scale.key, undefined, o.scale));
        }),
      );
    });
  const level = (db: number) => () => {
    const chosen = chosenTracks(rows);
    act(
      `${db > 0 ? "raise" : "lower"} ${chosen.map((t) => t.label).join(", ")}`,
      ...chosen.map(({ id }) => (now: Reel) => {
        const t = now.doc.tracks.find((o) => o.id === id);
        return t && { set_track: { id, gain_db: clampGain((t.gain_db ?? 0) + db) } };
      }),
    );
  };
  const add = (db: number) => () =>
    withClips(rows, (c) => act(`${db > 0 ? "raise" : "lower"} ${named(c)}`, { set: { clips: ids(c), add_db: db } }));
  return [
    {
      id: "crossfade",
      name: "Crossfade into the next clip",
      key: "x",
      run: () =>
        withClips(rows, (c, alone) =>
          act(`crossfade ${named(c)}`, {
            crossfade: { clips: ids(c), length: samples(crossfade), shape: "equal_power", alone },
          }),
        ),
    },
    {
      id: "no crossfade",
      name: "No crossfade into the next clip",
      run: () =>
        withClips(rows, (c, alone) =>
          act(`no crossfade of ${named(c)}`, { crossfade: { clips: ids(c), length: 0, alone } }),
        ),
    },
    { id: "fade in", name: "Fade in up to here", key: "i", run: fade("in") },
    { id: "fade out", name: "Fade away from here", key: "y", run: fade("out") },
    shape("", "equal gain"),
    shape("equal_power", "equal power"),
    shape("raised_cosine", "in the form of an S"),
    {
      id: "off",
      name: "Turn off: the span on these tracks, or else the tracks",
      key: "o",
      run: () => {
        const { span } = useEditor.getState();
        if (span)
          act("turn the span off", {
            off: { from: span.from, to: span.to, tracks: tracks(), ramp: samples(offRamp) },
          });
        else
          act(
            `turn ${chosenTracks(rows)
              .map((t) => t.label)
              .join(", ")} ${chosenTracks(rows)[0]?.off ? "on" : "off"}`,
            ...chosenTracks(rows).map((t) => ({ set_track: { id: t.id, off: !chosenTracks(rows)[0]?.off } })),
          );
      },
    },
    {
      id: "on",
      name: "Audible again: the span on these tracks",
      key: "a",
      run: () => withSpan((s) => act("turn the span on again", { on: { from: s.from, to: s.to, tracks: tracks() } })),
    },
    { id: "dip", name: `Quieter: dip the span by ${-dipDb} dB`, key: "q", run: dip(dipDb, "dip") },
    { id: "raise", name: "Raise the span by 3 dB", run: dip(3, "raise") },
    { id: "louder", name: "Clip 1 dB louder", key: "]", run: add(1) },
    { id: "softer", name: "Clip 1 dB softer", key: "[", run: add(-1) },
    {
      id: "draw",
      name: "Draw envelopes of clips with the pointer, or choose clips again",
      key: "mod+e",
      run: () => useEditor.setState((s) => ({ drawing: s.drawing === "clips" ? "" : "clips" })),
    },
    {
      id: "draw sides",
      name: "Draw where clips stand between the sides with the pointer, or choose clips again",
      key: "mod+shift+s",
      run: () => useEditor.setState((s) => ({ drawing: s.drawing === "places" ? "" : "places" })),
    },
    {
      id: "draw levels",
      name: "Draw levels of tracks over time with the pointer; again: positions; again: choose clips",
      key: "mod+shift+e",
      run: () =>
        useEditor.setState((s) => ({
          drawing: s.drawing === "tracks" ? "positions" : s.drawing === "positions" ? "" : "tracks",
        })),
    },
    {
      id: "treat",
      name: "Treat the chosen track: filters and dynamics, or close that",
      key: "mod+m",
      run: () => {
        const t = chosenTracks(rows)[0];
        if (t) openTreatment(reel, t.id);
      },
    },
    {
      id: "treat before",
      name: "Hear the chosen track before its treatment, as loud, or after it again",
      key: "mod+shift+m",
      run: () => {
        const t = chosenTracks(rows)[0];
        if (t && treats(t.treat)) flipTreatment(reel, t.id, t.label);
        else note("The chosen track has no treatment: Ctrl M asks for one.");
      },
    },
    { id: "track louder", name: "Track 1 dB louder", key: "}", run: level(1) },
    { id: "track softer", name: "Track 1 dB softer", key: "{", run: level(-1) },
    {
      id: "point up",
      name: "Envelope 1 dB higher at the pointer, or position to the left",
      key: "shift+ArrowUp",
      run: envelope(1),
    },
    {
      id: "point down",
      name: "Envelope 1 dB lower at the pointer, or position to the right",
      key: "shift+ArrowDown",
      run: envelope(-1),
    },
    {
      id: "smooth",
      name: "Envelopes of what is chosen: smooth, or straight again",
      run: () =>
        withEnvelopes((of) =>
          act(
            `shape ${whose(of)}`,
            ...of
              .filter((o) => o.drawn.gain?.length)
              .map((o) => {
                const gain = o.drawn.gain ?? [];
                const shape = gain.some((p) => p.shape === "smooth") ? ("" as const) : ("smooth" as const);
                return o.put(gain.map((p) => ({ ...p, shape })));
              }),
          ),
        ),
    },
    {
      id: "thin",
      name: "Thin the envelopes of what is chosen",
      run: () =>
        withEnvelopes((of) =>
          act(
            `thin ${whose(of)}`,
            ...of
              .filter((o) => thinned(o.drawn.gain ?? [], o.scale).length < (o.drawn.gain?.length ?? 0))
              .map((o) => o.put(thinned(o.drawn.gain ?? [], o.scale))),
          ),
        ),
    },
    {
      id: "copy envelope",
      name: "Take the envelope of the clip that was copied over to what is chosen",
      run: () =>
        withClips(rows, (c) => {
          const from = useEditor.getState().clipboard[0]?.clip;
          if (!from?.gain?.length) note("Copy a clip that has an envelope first.");
          else
            act(
              `take an envelope over to ${named(c)}`,
              ...c.map((l) => ({
                set: {
                  clips: [l.clip.id],
                  gain: from.gain?.map((p) => ({ ...p, at: p.at - from.in + l.clip.in })),
                },
              })),
            );
        }),
    },
    {
      id: "no envelope",
      name: "Take the envelope of what is chosen away",
      run: () => withEnvelopes((of) => act(`take ${whose(of)} away`, ...of.map((o) => o.put([])))),
    },
    {
      id: "invert",
      name: "Invert the polarity of what is chosen",
      run: () =>
        withClips(rows, (c) =>
          act(`invert ${named(c)}`, ...c.map((l) => ({ set: { clips: [l.clip.id], invert: !l.clip.invert } }))),
        ),
    },
    {
      id: "follow",
      name: "Waveforms follow gains and envelopes, or show what was recorded",
      run: () => useEditor.setState((s) => ({ follow: !s.follow })),
    },
  ];
}
