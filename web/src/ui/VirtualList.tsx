import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useRef } from "react";

type Props<T> = {
  items: T[];
  /** Names an item for good. */
  keyOf: (item: T) => string;
  rowHeight: number;
  label: string;
  className: string;
  children: (item: T) => ReactNode;
};

/** A list of rows of one height of which only those in view are made, so that it may be as long as it likes. */
export function VirtualList<T>({ items, keyOf, rowHeight, label, className, children }: Props<T>) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    getItemKey: (i) => {
      const item = items[i];
      return item === undefined ? i : keyOf(item);
    },
    overscan: 8,
    initialRect: { width: 600, height: 400 },
  });
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a list that scrolls is scrolled by keys as well
    <div ref={scroller} tabIndex={0} className={`overflow-auto -outline-offset-2 ${className}`}>
      <ul aria-label={label} className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const item = items[v.index];
          return (
            item !== undefined && (
              <li key={v.key} className="absolute inset-x-0" style={{ top: v.start, height: rowHeight }}>
                {children(item)}
              </li>
            )
          );
        })}
      </ul>
    </div>
  );
}
