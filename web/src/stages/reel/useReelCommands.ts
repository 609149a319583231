import { useMemo } from "react";
import { type Command, useCommandList } from "../../ui/commands";
import { choosing } from "./commands/choosing";
import type { ReelContext } from "./commands/context";
import { cutting } from "./commands/cutting";
import { listening } from "./commands/listening";
import { looking } from "./commands/looking";
import { pointing } from "./commands/pointing";
import { routing } from "./commands/routing";
import { seeing } from "./commands/seeing";
import { sounding } from "./commands/sounding";

/** Every action of the Reel stage, with its key. The keys come from the words. */
export function useReelCommands(p: ReelContext) {
  const list = useMemo<Command[]>(
    () => [
      ...listening(p),
      ...pointing(p),
      ...choosing(p),
      ...cutting(p),
      ...sounding(p),
      ...routing(p),
      ...looking(p),
      ...seeing(p),
    ],
    [p],
  );
  useCommandList("Reel", list);
}
