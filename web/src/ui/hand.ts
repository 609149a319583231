import type { Command } from "./commands";

/** What can be done with something: what it is, and few actions by their IDs with short names, parted by gaps. */
export type Hand = { of: string; parts: [id: string, says: string][][] };

/** The parts of a hand with the actions that there are of it. */
export const partsOf = (hand: Hand, list: Command[]) =>
  hand.parts.map((part) =>
    part.flatMap(([id, says]) => {
      const c = list.find((o) => o.id === id);
      return c ? [{ c, says }] : [];
    }),
  );
