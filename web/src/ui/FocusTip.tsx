import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";

/** ms that something has the focus before it is explained: who passes by is not stopped. */
const patience = 700;

/**
 * What the pointer is told of something by resting on it (its title), told to who comes to it by keys. It goes with the
 * next key, click or focus, and is read by nobody twice: the title is what screen readers say already.
 */
export function FocusTip() {
  const at = useRef<HTMLElement | null>(null);
  const [says, setSays] = useState("");
  useEffect(() => {
    let waiting: ReturnType<typeof setTimeout> | undefined;
    const hide = () => {
      clearTimeout(waiting);
      setSays("");
    };
    const show = (e: FocusEvent) => {
      hide();
      const el = e.target;
      if (!(el instanceof HTMLElement) || !el.title || !el.matches(":focus-visible")) return;
      waiting = setTimeout(() => {
        if (document.activeElement !== el) return;
        at.current = el;
        setSays(el.title);
      }, patience);
    };
    const gone = ["focusout", "keydown", "pointerdown", "scroll"] as const;
    document.addEventListener("focusin", show);
    for (const g of gone) document.addEventListener(g, hide, true);
    return () => {
      clearTimeout(waiting);
      document.removeEventListener("focusin", show);
      for (const g of gone) document.removeEventListener(g, hide, true);
    };
  }, []);
  return (
    <Popover.Root open={says !== ""}>
      <Popover.Anchor virtualRef={at as React.RefObject<HTMLElement>} />
      <Popover.Portal>
        <Popover.Content
          aria-hidden="true"
          side="bottom"
          align="start"
          sideOffset={6}
          collisionPadding={8}
          onOpenAutoFocus={(e) => e.preventDefault()}
          onCloseAutoFocus={(e) => e.preventDefault()}
          className="pointer-events-none z-50 max-w-80 border border-line bg-panel px-2 py-1 text-ink text-small shadow-lg"
        >
          {says}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
