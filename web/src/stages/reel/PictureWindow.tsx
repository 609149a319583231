import { Maximize, Maximize2, Minimize2, X } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import type { Production, Reel, Picture as Seen } from "../../api/client";
import { useEditor } from "../../editor/store";
import { useMonitor } from "../../listening/engine";
import { Picture } from "../../listening/Picture";
import { playhead, timecodeIn } from "../../timeline/place";

/** The window, for the command that fills the screen with it. */
const windowId = "picture-window";

/** Fills the screen with the picture, or leaves it. */
export function fillScreen() {
  if (document.fullscreenElement) void document.exitFullscreen();
  else void document.getElementById(windowId)?.requestFullscreen();
}

/** What is seen at a place of the reel. */
export const seenAt = (reel: Reel, at: number): Seen | undefined =>
  reel.doc.pictures?.find((x) => at >= x.at && at < x.at + x.length);

/** The picture of where the reel sounds or the pointer is, in step while it plays. */
export function PictureWindow({ production: p, reel }: { production: Production; reel: Reel }) {
  const size = useEditor((s) => s.window);
  const pointer = useEditor((s) => s.pointer);
  const hears = useMonitor((m) => m.hearing !== null && "reel" in m.hearing.of && m.hearing.of.reel === reel.id);
  const start = useMonitor((m) => m.hearing?.start ?? 0);
  // While it plays, the picture changes where another is laid.
  const [playing, setPlaying] = useState<Seen>();
  useEffect(() => {
    if (!hears) return;
    let frame = 0;
    const look = () => {
      frame = requestAnimationFrame(look);
      const at = playhead(reel.id);
      if (at !== null) setPlaying(seenAt(reel, at));
    };
    look();
    return () => cancelAnimationFrame(frame);
  }, [hears, reel]);
  const x = hears ? playing : seenAt(reel, pointer);
  if (!reel.doc.pictures?.length || size === "hidden") return null;
  const rate = reel.sample_rate;
  const into = (at: number) => (x && at >= x.at && at < x.at + x.length ? (at - x.at + x.in) / rate : -1);
  const frame = p.rate.den / p.rate.num;
  return (
    <section
      id={windowId}
      aria-label="Picture"
      className={`absolute right-3 bottom-3 z-20 flex flex-col border border-line bg-panel shadow-2xl ${size === "large" ? "w-[min(60%,960px)]" : "w-72"}`}
    >
      <div className="flex h-6 shrink-0 items-center gap-1 pl-2 text-quiet text-small">
        <span className="min-w-0 flex-1 truncate" title={x?.name}>
          {x ? x.name : "No picture here"}
        </span>
        {x && !hears && <span className="figures">{timecodeIn(p, Math.max(0, x.in + pointer - x.at))}</span>}
        <Tool
          says={size === "small" ? "Larger picture" : "Smaller picture"}
          run={() => useEditor.setState({ window: size === "small" ? "large" : "small" })}
        >
          {size === "small" ? <Maximize2 size={12} /> : <Minimize2 size={12} />}
        </Tool>
        <Tool says="Fill the screen with the picture" run={fillScreen}>
          <Maximize size={12} />
        </Tool>
        <Tool says="Hide the picture" run={() => useEditor.setState({ window: "hidden" })}>
          <X size={12} />
        </Tool>
      </div>
      {x && (
        <div className="aspect-video min-h-0 w-full flex-1 bg-black">
          <Picture
            key={x.file}
            file={x.file}
            name={x.name}
            inStep={hears}
            timeOf={(at) => into(start + at)}
            still={Math.max(0, (pointer - x.at + x.in) / rate + frame / 4)} // within the frame, not at its edge
            className="h-full w-full"
          />
        </div>
      )}
    </section>
  );
}

function Tool({ says, run, children }: { says: string; run: () => void; children: ReactNode }) {
  return (
    <button
      type="button"
      aria-label={says}
      title={says}
      onClick={run}
      className="flex h-6 w-6 items-center justify-center hover:text-ink"
    >
      {children}
    </button>
  );
}
