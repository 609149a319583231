import { Menu } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { create } from "zustand";
import { CommandMenu } from "./CommandMenu";
import { type Command, keyLabel, useCommands } from "./commands";
import { Key, unfocused } from "./controls";
import { type Hand, partsOf } from "./hand";

const none: Command[] = [];

const useOpen = create<{ open: boolean }>(() => ({ open: false }));

/** Opens the menu of the bar. */
export const openHand = () => useOpen.setState({ open: true });

/**
 * What can be done with what is chosen, by the actions of a stage: few of them as buttons, each with its key, and all of them in
 * a menu.
 */
export function HandBar({ where, hand }: { where: string; hand: Hand }) {
  const list = useCommands((s) => s.lists[where] ?? none);
  const open = useOpen((s) => s.open);
  return (
    <div
      role="toolbar"
      aria-label={`What can be done with ${hand.of}`}
      className="flex h-10 shrink-0 items-center gap-3 border-line border-t bg-panel px-3 text-small"
    >
      {/* Where there is little room the keys go first; the menu, which has all of them, always stays. */}
      <div className="flex min-w-0 flex-1 items-center gap-3 overflow-hidden xl:gap-5">
        {partsOf(hand, list).map((part) => (
          <span key={part[0]?.c.id} className="flex shrink-0 items-center gap-1.5">
            {part.map(({ c, says }) => (
              <button
                key={c.id}
                type="button"
                title={c.name}
                onMouseDown={unfocused}
                onClick={c.run}
                className="flex h-7 items-center gap-1.5 whitespace-nowrap bg-raised px-2 hover:bg-line"
              >
                {says}
                {c.key && (
                  <span className="hidden xl:block">
                    <Key>{keyLabel(c.key)}</Key>
                  </span>
                )}
              </button>
            ))}
          </span>
        ))}
      </div>
      <DropdownMenu.Root open={open} onOpenChange={(to) => useOpen.setState({ open: to })} modal={false}>
        <DropdownMenu.Trigger
          onMouseDown={unfocused}
          className="flex h-7 shrink-0 items-center gap-1.5 bg-raised px-2 hover:bg-line"
        >
          <Menu size={14} aria-hidden="true" /> Everything
        </DropdownMenu.Trigger>
        <CommandMenu kit={DropdownMenu} hand={hand} list={list} />
      </DropdownMenu.Root>
    </div>
  );
}
