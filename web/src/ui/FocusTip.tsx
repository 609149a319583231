import { useEffect, useState } from "react";

/** ms that something has the focus before it is explained: who passes by is not stopped. */
const patience = 700;
const widest = 320;

type Tip = { says: string; left: number; top?: number; bottom?: number };

/** Where an explanation of an element is drawn: below it, or above where there is no room. */
function tipOf(el: HTMLElement): Tip {
  const at = el.getBoundingClientRect();
  const left = Math.max(8, Math.min(at.left, window.innerWidth - widest - 8));
  return at.bottom + 60 < window.innerHeight
    ? { says: el.title, left, top: at.bottom + 6 }
    : { says: el.title, left, bottom: window.innerHeight - at.top + 6 };
}

/**
 * What the pointer is told of something by resting on it (its title), told to who comes to it by keys. It goes with the
 * next key, click or focus, takes none of them, and is read by nobody twice: screen readers say the title already.
 */
export function FocusTip() {
  const [tip, setTip] = useState<Tip | null>(null);
  useEffect(() => {
    let waiting: ReturnType<typeof setTimeout> | undefined;
    const hide = () => {
      clearTimeout(waiting);
      setTip(null);
    };
    const show = ({ target: el }: FocusEvent) => {
      hide();
      if (!(el instanceof HTMLElement) || !el.title || !el.matches(":focus-visible")) return;
      waiting = setTimeout(() => document.activeElement === el && setTip(tipOf(el)), patience);
    };
    const ends = ["focusout", "keydown", "pointerdown", "scroll"] as const;
    document.addEventListener("focusin", show);
    for (const e of ends) document.addEventListener(e, hide, true);
    return () => {
      hide();
      document.removeEventListener("focusin", show);
      for (const e of ends) document.removeEventListener(e, hide, true);
    };
  }, []);
  if (!tip) return null;
  const { says, ...place } = tip;
  return (
    <p
      aria-hidden="true"
      className="pointer-events-none fixed z-50 border border-line bg-panel px-2 py-1 text-ink text-small shadow-lg"
      style={{ ...place, maxWidth: widest }}
    >
      {says}
    </p>
  );
}
