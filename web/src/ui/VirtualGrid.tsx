/** Many things in rows of so many columns, of which only those in view are in the page. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef, useState } from "react";

interface Props<T> {
  items: T[];
  keyOf: (item: T) => string;
  /** So many columns, or as many as fit when each is so wide. */
  columns: number | { least: number };
  /** Height of a row before it is measured, in CSS pixels. */
  row: number;
  gap?: number;
  label?: string;
  className?: string;
  children: (item: T) => ReactNode;
}

const ROWS_BEYOND = 3;

export function VirtualGrid<T>({
  items,
  keyOf,
  columns,
  row,
  gap = 4,
  label,
  className,
  children,
}: Props<T>) {
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    if (scroller.current) watcher.observe(scroller.current);
    return () => watcher.disconnect();
  }, []);
  const across =
    typeof columns === "number" ? columns : Math.max(1, Math.floor((width + gap) / (columns.least + gap)));
  const virtual = useVirtualizer({
    count: Math.ceil(items.length / across),
    getScrollElement: () => scroller.current,
    estimateSize: () => row,
    gap,
    overscan: ROWS_BEYOND,
  });
  return (
    <div ref={scroller} className={`overflow-y-auto ${className ?? ""}`}>
      <div role="list" aria-label={label} className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map(({ index, key, start }) => (
          <div
            key={key}
            role="presentation"
            ref={virtual.measureElement}
            data-index={index}
            className="absolute right-0 left-0 grid"
            style={{
              transform: `translateY(${start}px)`,
              gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
              gap,
            }}
          >
            {items.slice(index * across, (index + 1) * across).map((item) => (
              <div key={keyOf(item)} role="listitem" className="min-w-0">
                {children(item)}
              </div>
            ))}
          </div>
        ))}
      </div>
    </div>
  );
}
