type Props = {
  /** What it changes, such as "Width of the note column". */
  label: string;
  value: number;
  min: number;
  max: number;
  /** The new size in pixels, or null for the default. */
  onChange: (to: number | null, by: { shiftKey: boolean }) => void;
  /** "column" changes a width by moving sideways, "row" a height by moving up and down. */
  of: "column" | "row";
  className?: string;
  /** What else can be done, in words. */
  hint?: string;
  /** -1 for one that keys reach otherwise. */
  tabIndex?: number;
};

/** An edge that is dragged, or moved by the arrows, to make something wider or higher; a double click puts it back. */
export function Handle({ label, value, min, max, onChange, of, className = "", hint, tabIndex = 0 }: Props) {
  const clamp = (v: number) => Math.max(min, Math.min(max, v));
  return (
    <div
      role="separator"
      tabIndex={tabIndex}
      aria-label={label}
      aria-orientation={of === "column" ? "vertical" : "horizontal"}
      aria-valuenow={Math.round(value)}
      aria-valuemin={min}
      aria-valuemax={max}
      title={`${label}: drag${hint ? ` (${hint})` : ""}, or arrows; a double click puts it back`}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.preventDefault();
        e.stopPropagation();
        const from = of === "column" ? e.clientX : e.clientY;
        const el = e.currentTarget;
        el.setPointerCapture(e.pointerId);
        const move = (m: PointerEvent) => onChange(clamp(value + (of === "column" ? m.clientX : m.clientY) - from), m);
        const end = () => {
          el.removeEventListener("pointermove", move);
          el.removeEventListener("pointerup", end);
          el.removeEventListener("pointercancel", end);
        };
        el.addEventListener("pointermove", move);
        el.addEventListener("pointerup", end);
        el.addEventListener("pointercancel", end);
      }}
      onClick={(e) => e.stopPropagation()}
      onDoubleClick={(e) => {
        e.stopPropagation();
        onChange(null, e);
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -8, ArrowRight: 8, ArrowUp: -8, ArrowDown: 8 }[e.key];
        const mine = of === "column" ? /^Arrow(Left|Right)$/ : /^Arrow(Up|Down)$/;
        if (by === undefined || !mine.test(e.key)) return;
        e.preventDefault();
        e.stopPropagation();
        onChange(clamp(value + by), e);
      }}
      className={`${of === "column" ? "w-1.5 cursor-col-resize" : "h-1.5 cursor-row-resize"} shrink-0 hover:bg-focus/60 focus-visible:bg-focus ${className}`}
    />
  );
}
