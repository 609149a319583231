import { ChevronRight } from "lucide-react";
import type { ContextMenu, DropdownMenu } from "radix-ui";
import { type Command, keyLabel } from "./commands";
import { Key } from "./controls";
import { type Hand, partsOf } from "./hand";

const box = "z-40 max-h-[80vh] min-w-56 overflow-y-auto border border-line bg-panel py-1 text-small shadow-2xl";
const row =
  "flex min-h-7 cursor-default items-center gap-6 px-3 outline-none data-[highlighted]:bg-line data-[state=open]:bg-raised";

type Props = {
  kit: typeof DropdownMenu | typeof ContextMenu;
  hand: Hand;
  /** All actions of the stage, in their order. */
  list: Command[];
};

/** Actions as a menu: those of what is chosen first, and all of the stage by their headings. */
export function CommandMenu({ kit, hand, list }: Props) {
  // Both kinds of menus have the same parts.
  const M = kit as typeof DropdownMenu;
  const groups = [...new Set(list.map((c) => c.group).filter((g) => g !== undefined))];
  const item = (c: Command, says: string) => (
    <M.Item key={c.id} className={row} onSelect={c.run}>
      <span className="min-w-0 flex-1">{says}</span>
      {c.key && <Key>{keyLabel(c.key)}</Key>}
    </M.Item>
  );
  return (
    <M.Portal>
      <M.Content className={box} collisionPadding={8} onCloseAutoFocus={(e) => e.preventDefault()} loop>
        <M.Label className="px-3 py-1 text-quiet">With {hand.of}</M.Label>
        {partsOf(hand, list).map((part) => (
          <M.Group key={part[0]?.c.id} className="border-line border-b py-0.5">
            {part.map(({ c, says }) => item(c, says))}
          </M.Group>
        ))}
        {groups.map((g) => (
          <M.Sub key={g}>
            <M.SubTrigger className={row}>
              <span className="flex-1">{g}</span>
              <ChevronRight size={12} aria-hidden="true" />
            </M.SubTrigger>
            <M.Portal>
              <M.SubContent className={box} collisionPadding={8} loop>
                {list.filter((c) => c.group === g).map((c) => item(c, c.name))}
              </M.SubContent>
            </M.Portal>
          </M.Sub>
        ))}
      </M.Content>
    </M.Portal>
  );
}
