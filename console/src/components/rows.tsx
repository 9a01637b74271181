import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef } from "react";

export type Column<T> = { title: string; width: string; right?: boolean; cell: (item: T) => ReactNode };

type RowsProps<T> = {
  label: string;
  items: T[];
  columns: Column<T>[];
  id: (item: T) => string | number;
  more: boolean; // there are further pages
  readMore: () => void;
  estimate?: number; // height of a row in pixels
  narrow?: boolean; // it stands beside something else
};

/** A table that draws only the rows in sight, and reads on as one nears its end. */
export function Rows<T>({ label, items, columns, id, more, readMore, estimate = 33, narrow }: RowsProps<T>) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => estimate,
    overscan: 12,
    getItemKey: (i) => id(items[i] as T),
  });
  const inSight = rows.getVirtualItems();
  const last = inSight.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last >= items.length - 20) readMore();
  }, [more, last, items.length, readMore]);
  const grid = { gridTemplateColumns: columns.map((c) => c.width).join(" ") };
  const side = (c: Column<T>) => (c.right ? "text-right" : "");
  return (
    <div ref={scroll} className="max-h-[calc(100vh-190px)] min-h-40 overflow-auto border-t border-ink">
      <div
        role="table"
        aria-label={label}
        aria-rowcount={more ? -1 : items.length + 1}
        className={narrow ? "min-w-[640px]" : "min-w-[900px]"}
      >
        <div
          role="row"
          className="sticky top-0 z-10 grid gap-4 border-b border-hairline bg-paper px-2 py-1.5 text-xs font-semibold text-second"
          style={grid}
        >
          {columns.map((c) => (
            <div role="columnheader" key={c.title} className={side(c)}>
              {c.title}
            </div>
          ))}
        </div>
        <div role="rowgroup" className="relative" style={{ height: rows.getTotalSize() }}>
          {inSight.map((row) => (
            <div
              role="row"
              key={row.key}
              data-index={row.index}
              ref={rows.measureElement}
              className="absolute inset-x-0 grid items-start gap-4 border-b border-hairline px-2 py-1.5 hover:bg-sheet"
              style={{ ...grid, transform: `translateY(${row.start}px)` }}
            >
              {columns.map((c) => (
                <div role="cell" key={c.title} className={`min-w-0 break-words ${side(c)}`}>
                  {c.cell(items[row.index] as T)}
                </div>
              ))}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}
