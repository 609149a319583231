import { useNavigate } from "@tanstack/react-router";
import { useMemo } from "react";
import { useEditor } from "../../editor/store";
import { type Command, grouped, useCommandList } from "../../ui/commands";
import { openHand } from "../../ui/HandBar";
import { choosing } from "./commands/choosing";
import { type ReelContext, withSpan } from "./commands/context";
import { cutting } from "./commands/cutting";
import { listening } from "./commands/listening";
import { looking } from "./commands/looking";
import { pointing } from "./commands/pointing";
import { routing } from "./commands/routing";
import { seeing } from "./commands/seeing";
import { sounding } from "./commands/sounding";

/** Every action of the Reel stage, with its key. The keys come from the words. */
export function useReelCommands(p: ReelContext) {
  const navigate = useNavigate();
  const list = useMemo<Command[]>(
    () => [
      ...grouped("Hear", listening(p)),
      ...grouped("Go to", pointing(p)),
      ...grouped("Choose and mark", choosing(p)),
      ...grouped("Cut and move", cutting(p)),
      ...grouped("Levels, fades and treatment", sounding(p)),
      ...grouped("Send", routing(p)),
      ...grouped("Look", looking(p)),
      ...grouped("Picture", seeing(p)),
      { id: "menu", name: "Everything that can be done here, as a menu", key: "ContextMenu", run: openHand },
      {
        id: "cut down",
        name: "Deliver the span by itself, with its picture: a cut-down",
        key: "mod+shift+d",
        run: () =>
          withSpan(() => {
            useEditor.setState({ cutDown: true });
            navigate({ to: "/$production/delivery", params: { production: p.production.id } });
          }),
      },
    ],
    [p, navigate],
  );
  useCommandList("Reel", list);
}
