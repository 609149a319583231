import { Link } from "@tanstack/react-router";
import { Minus, Plus } from "lucide-react";
import { ContextMenu } from "radix-ui";
import { type ReactNode, useCallback, useEffect, useMemo, useState } from "react";
import type { Clip, Production, Reel } from "../../api/client";
import { useProduction } from "../../api/queries";
import { useEditReel, useReel } from "../../api/reel";
import { addressed, useAddress } from "../../editor/address";
import { figureOf, placeKeys, placeOf } from "../../editor/enveloped";
import { lookOf } from "../../editor/look";
import { beginEditing, growExtent, showWhole, useEditor } from "../../editor/store";
import { duration, plural } from "../../format";
import { useProductionId } from "../../Shell";
import { rowsOf } from "../../timeline/geometry";
import { useCounted } from "../../timeline/place";
import { Timeline } from "../../timeline/Timeline";
import { type Acting, actionsOn } from "../../timeline/useDrag";
import { viewNow, zoomAbout } from "../../timeline/view";
import { TreatPanel } from "../../treatment/TreatPanel";
import { CommandMenu } from "../../ui/CommandMenu";
import { useCommands } from "../../ui/commands";
import { Button, Empty, StageHead } from "../../ui/controls";
import { HandBar } from "../../ui/HandBar";
import { HearAllAgain } from "../weave/HearFields";
import { BorrowPanel } from "./BorrowPanel";
import { BringPanel } from "./BringPanel";
import { ClipBar } from "./ClipBar";
import { CutListPanel, openCutList } from "./CutListPanel";
import { handOf } from "./hand";
import { scrubReel, useGoOn, useTrackKeys } from "./hearing";
import { LayPicturePanel } from "./LayPicturePanel";
import { bands } from "./layout";
import { PictureWindow } from "./PictureWindow";
import { PrintPanel } from "./PrintPanel";
import { ReelChooser } from "./ReelChooser";
import { useReelCommands } from "./useReelCommands";

/** The timeline: bands of tracks by stem against timecode, and all editing. */
export function ReelStage() {
  const production = useProductionId();
  const { data: p } = useProduction(production);
  const { data: reel } = useReel(production);
  if (!p || !reel) return null;
  return <Editor key={reel.id} production={p} reel={reel} />;
}

function Editor({ production, reel }: { production: Production; reel: Reel }) {
  const p = useCounted(production, reel);
  beginEditing(reel.id, reel.worked_out, () => ({ ...lookOf(reel.id), ...addressed(p, reel, location.search) }));
  useAddress(p, reel);
  const { mutate } = useEditReel(p.id);
  const [size, setSize] = useState({ width: 1000, height: 500 });
  const folds = useEditor((s) => s.folds);
  const heights = useEditor((s) => s.heights);
  const rows = useMemo(
    () => rowsOf(reel, bands(reel), { folds, heights, room: size.height }),
    [reel, folds, heights, size.height],
  );
  const act = useCallback(
    (what: string, ...actions: Acting[]) => {
      if (actions.length === 0) return;
      const { ghost } = useEditor.getState();
      const edit = (now: Reel) => {
        const all = actionsOn(now, actions);
        return all.length > 0 ? { what, actions: all } : null;
      };
      // What was dragged stays as it would be until it is so, unless something else is dragged meanwhile.
      mutate(edit, { onSettled: () => useEditor.setState((s) => (s.ghost === ghost ? { ghost: null } : {})) });
    },
    [mutate],
  );
  const away = useMemo(() => awayOf(p, reel), [p, reel]);
  useReelCommands(
    useMemo(() => ({ production: p, reel, rows, mutate, act, size }), [p, reel, rows, mutate, act, size]),
  );
  useTrackKeys(reel, rows);
  useGoOn(reel);
  // What was removed is not chosen any more.
  useEffect(() => {
    growExtent(reel.worked_out);
    const there = new Set(reel.doc.tracks.flatMap((t) => [t.id, ...t.clips.map((c) => c.id)]));
    useEditor.setState((s) => ({
      clips: [...s.clips].every((id) => there.has(id)) ? s.clips : new Set([...s.clips].filter((id) => there.has(id))),
      tracks: s.tracks.every((id) => there.has(id)) ? s.tracks : s.tracks.filter((id) => there.has(id)),
    }));
  }, [reel]);
  const onSize = useCallback((width: number, height: number) => setSize({ width, height }), []);
  const zoom = (by: number) => zoomAbout(reel, viewNow(size.width, size.height), by, useEditor.getState().pointer);
  const whole = useEditor((s) => s.px === 0);
  const { start, end, start_timecode, rate_name } = reel.worked_out;
  return (
    <>
      <StageHead
        title="Reel"
        says={`${plural(reel.doc.tracks.length, "track")}, ${duration(end - start, reel.sample_rate)} from ${start_timecode}${rate_name === production.rate_name ? "" : `, ${rate_name} fps`}`}
      >
        <ReelChooser production={p.id} reel={reel} />
        <Modes />
        <Button onClick={() => zoom(0.5)} aria-label="Zoom out">
          <Minus size={14} />
        </Button>
        <Button onClick={() => zoom(2)} aria-label="Zoom in">
          <Plus size={14} />
        </Button>
        <Button onClick={() => showWhole(reel.worked_out)} disabled={whole}>
          Whole reel
        </Button>
      </StageHead>
      <CutListPanel production={p} reel={reel} />
      <PrintPanel production={p.id} reel={reel} />
      <BringPanel production={p.id} reel={reel} />
      <LayPicturePanel reel={reel} act={act} />
      {rows.length === 0 ? (
        <Empty title="The reel is empty">
          <p>Choose a take and take it into the reel: its strands are laid as clips at its start timecode.</p>
          <Link to="/$production/takes" params={{ production: p.id }} className="text-focus underline">
            Go to Takes
          </Link>
          <Button onClick={openCutList}>Lay a cut list from picture…</Button>
        </Empty>
      ) : (
        <>
          <div className="flex min-h-0 flex-1">
            <div className="relative flex min-h-0 min-w-0 flex-1">
              <ReelMenu>
                <Timeline
                  production={p}
                  reel={reel}
                  rows={rows}
                  away={away}
                  act={act}
                  scrub={scrubReel}
                  onSize={onSize}
                />
              </ReelMenu>
              <PictureWindow production={p} reel={reel} />
            </div>
            <TreatPanel reel={reel} act={act} />
            <BorrowPanel production={p} reel={reel} act={act} />
          </div>
          <ClipBar production={p} reel={reel} rows={rows} away={away} act={act} />
          <ReelHand />
        </>
      )}
    </>
  );
}

const draws = {
  clips: { of: "envelopes of clips", says: "Drawing envelopes", key: "Ctrl E" },
  places: { of: "positions of clips, left at the top", says: "Drawing clip positions", key: "Ctrl Shift S" },
  tracks: { of: "levels of tracks", says: "Drawing track levels", key: "Ctrl Shift E" },
  positions: { of: "positions of tracks, left at the top", says: "Drawing track positions", key: "Ctrl Shift E" },
};

function drawnAs(drawing: string) {
  const ends = "a press here ends it";
  const place = placeOf(drawing);
  if (place)
    return { of: `the ${placeKeys[place].name}`, says: `Drawing the ${placeKeys[place].name} over time`, key: ends };
  const figure = figureOf(drawing)?.replace("_", drawing.includes("band") ? " " : "-");
  if (figure) return { of: `the ${figure} of the treatment`, says: `Drawing the ${figure} over time`, key: ends };
  return draws[drawing as keyof typeof draws];
}

/** What can be done with what is chosen. */
function ReelHand() {
  const hand = useEditor(handOf);
  return <HandBar where="Reel" hand={hand} />;
}

/** The same as a menu at the thing, by the right button. */
function ReelMenu({ children }: { children: ReactNode }) {
  const hand = useEditor(handOf);
  const list = useCommands((s) => s.lists.Reel);
  return (
    <ContextMenu.Root modal={false}>
      <ContextMenu.Trigger asChild>
        <div className="flex min-h-0 min-w-0 flex-1">{children}</div>
      </ContextMenu.Trigger>
      <CommandMenu kit={ContextMenu} hand={hand} list={list ?? []} />
    </ContextMenu.Root>
  );
}

/** How edits act: on what is tied, or on one alone; catching on edges, or on nothing. */
function Modes() {
  const alone = useEditor((s) => s.alone);
  const snap = useEditor((s) => s.snap);
  const drawing = useEditor((s) => s.drawing);
  return (
    <>
      <HearAllAgain />
      {drawing && (
        <Button
          aria-pressed
          title={`The pointer draws ${drawnAs(drawing).of}: press for a point, Alt takes one away (${drawnAs(drawing).key})`}
          onClick={() => useEditor.setState({ drawing: "" })}
        >
          {drawnAs(drawing).says}
        </Button>
      )}
      <Button
        aria-pressed={alone}
        title={alone ? "Edits act on one clip alone (K)" : "Edits act on all clips of a take together (K)"}
        onClick={() => useEditor.setState({ alone: !alone })}
      >
        {alone ? "One alone" : "Tied"}
      </Button>
      <Button
        aria-pressed={snap}
        title="Drags catch on edges and the pointer; Ctrl held lets them go free"
        onClick={() => useEditor.setState({ snap: !snap })}
      >
        {snap ? "Catching" : "Free"}
      </Button>
    </>
  );
}

/** How far a clip lies from home, in frames and milliseconds: moved in the reel, or let go in its take. */
function awayOf(p: Production, reel: Reel) {
  const { detached } = reel.worked_out;
  return (c: Clip): string => {
    const letGo = detached[c.strands[0] ?? ""];
    const samples = (c.away ?? 0) + (letGo ?? 0);
    if (samples === 0) return letGo === undefined ? "" : "let go";
    const seconds = Math.abs(samples) / p.sample_rate;
    const sign = samples > 0 ? "+" : "−";
    return `${sign}${((seconds * p.rate.num) / p.rate.den).toFixed(2)} f, ${sign}${(seconds * 1000).toFixed(2)} ms`;
  };
}
