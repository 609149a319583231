import { hearAll, hearAlone, hearWithout } from "../../editor/heard";
import { useEditor } from "../../editor/store";
import { Button } from "../../ui/controls";

/** Hears a track or bus alone, with others that are, or leaves it out: while the reel plays, and for listening only. */
export function HearFields({ id, name }: { id: string; name: string }) {
  const alone = useEditor((s) => s.solo.has(id));
  const without = useEditor((s) => s.mute.has(id));
  return (
    <>
      <Button
        aria-pressed={alone}
        aria-label={`Hear ${name} alone as the reel plays`}
        title="As the reel plays, with others that are heard alone: for listening only"
        className={alone ? "outline outline-focus" : ""}
        onClick={() => hearAlone([id])}
      >
        Alone
      </Button>
      <Button
        aria-pressed={without}
        aria-label={`Leave ${name} out as the reel plays`}
        title="As the reel plays: for listening only, it is delivered all the same"
        onClick={() => hearWithout([id])}
      >
        Left out
      </Button>
    </>
  );
}

/** Everything is heard again; not there while it is. */
export function HearAllAgain() {
  const some = useEditor((s) => s.solo.size + s.mute.size + s.heard.size > 0);
  return some ? <Button onClick={hearAll}>Hear all again</Button> : null;
}
