// biome-ignore-all lint/a11y/useSemanticElements: rows are placed one by one, and the elements of a table lose their meaning when they are
// biome-ignore-all lint/a11y/useFocusableInteractive: a cell is read, and does nothing by itself
import { type ColumnDef, type RowData, tableFeatures, useTable } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { ColumnChoice, useHidden } from "./columns";
import { useFilters } from "./filters";
import { inOrder, nextSorting, type Sorting, sortingIn, sortingText } from "./sorting";
import { usePlace } from "./use-place";
import { usePrinting } from "./use-printing";

/** A column: its head, its width as of a grid, and what stands in it. */
export type Column<T extends RowData> = {
  title: string;
  width: string;
  right?: boolean;
  sort?: (item: T) => string | number; // what rows are sorted by, where they can be
  cell: (item: T) => ReactNode;
};

export type RowsProps<T extends RowData> = {
  label: string;
  items: T[];
  columns: Column<T>[];
  id: (item: T) => string | number;
  more: boolean; // there are further pages
  readMore: () => void;
  estimate?: number; // height of a row in pixels
  narrow?: boolean | "slim"; // it stands beside something else, slim with few columns
  selection?: Selection<T>;
};

/** Rows that are chosen, to do something with. */
export type Selection<T> = {
  has: (item: T) => boolean;
  toggle: (item: T) => void;
  name: (item: T) => string; // what a row is called to whoever does not see it
};

const features = tableFeatures({});

/** A table that draws only the rows in sight, and reads on as one nears its end. */
export function Rows<T extends RowData>({
  label,
  items,
  columns,
  id,
  more,
  readMore,
  estimate = 33,
  narrow,
  selection,
}: RowsProps<T>) {
  const scroll = useRef<HTMLElement>(null);
  const place = usePlace(label, scroll);
  const printing = usePrinting();
  const [toEnd, setToEnd] = useState(false); // somebody wants the end, which may have to be read first
  const { shown: chosenColumns, hide, hidden } = useHidden(label, columns);
  const shown = useMemo(
    () => (selection ? [chooser(selection), ...chosenColumns] : chosenColumns),
    [selection, chosenColumns],
  );
  const defined = useMemo<ColumnDef<typeof features, T>[]>(
    () => shown.map((c) => ({ id: c.title, header: c.title })),
    [shown],
  );
  const [params, set] = useFilters();
  const sort = params.get("sort");
  const sorting = useMemo(() => sortingIn(sort, label), [sort, label]);
  const setSorting = (next: Sorting) => set({ sort: sortingText(next, label) });
  const sorted = useMemo(() => inOrder(items, columns, sorting), [items, columns, sorting]);
  // Only what was read whole can be sorted: the rest is read first.
  useEffect(() => {
    if ((sorting || toEnd) && more) readMore();
  });
  const table = useTable({ features, columns: defined, data: sorted, getRowId: (item) => String(id(item)) });
  const { rows } = table.getRowModel();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => estimate,
    overscan: 12,
    getItemKey: (i) => rows[i]?.id ?? i,
    initialOffset: place,
  });
  useEffect(() => {
    if (!toEnd || more) return;
    virtual.scrollToIndex(rows.length - 1);
    setToEnd(false);
  }, [toEnd, more, rows.length, virtual]);
  const keys = (event: KeyboardEvent) => {
    if (event.target !== scroll.current || event.key !== "End") return;
    event.preventDefault();
    setToEnd(true);
  };
  const inSight = virtual.getVirtualItems();
  const last = inSight.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last >= items.length - 20) readMore();
  }, [more, last, items.length, readMore]);
  const grid = { gridTemplateColumns: shown.map((c) => c.width).join(" ") };
  const right = new Set(columns.filter((c) => c.right).map((c) => c.title));
  const side = (column: string) => (right.has(column) ? "text-right" : "");
  return (
    <>
      <div className="flex items-center justify-end gap-4 pb-1 text-xs text-second">
        {toEnd && more && <span role="status">Reading to the end: {items.length} so far.</span>}
        {printing && more && <span>The first {items.length}; scroll to the end to print more.</span>}
        {sorting && more && (
          <span role="status">
            Reading all rows to sort them: {items.length} so far.{" "}
            <button type="button" onClick={() => setSorting(null)} className="font-semibold text-brass hover:underline">
              Stop
            </button>
          </span>
        )}
        <ColumnChoice label={label} columns={columns.map((c) => c.title)} hidden={hidden} hide={hide} />
      </div>
      <section
        ref={scroll}
        aria-label={`${label}, the part in sight`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard
        tabIndex={0}
        onKeyDown={keys}
        className="relative max-h-[calc(100vh-212px)] min-h-40 overflow-auto border-t border-ink print:max-h-none print:overflow-visible"
      >
        <div
          role="table"
          aria-label={label}
          aria-rowcount={more ? -1 : items.length + 1}
          className={narrow === "slim" ? "min-w-[420px]" : narrow ? "min-w-[560px]" : "min-w-[900px]"}
        >
          {table.getHeaderGroups().map((group) => (
            <div
              role="row"
              key={group.id}
              className="sticky top-0 z-10 grid gap-4 border-b border-hairline bg-paper px-2 py-1.5 text-xs font-semibold text-second"
              style={grid}
            >
              {group.headers.map((header) => (
                <div
                  role="columnheader"
                  key={header.id}
                  aria-sort={
                    sorting?.title === header.column.id ? (sorting.down ? "descending" : "ascending") : undefined
                  }
                  className={side(header.column.id)}
                >
                  {columns.find((c) => c.title === header.column.id)?.sort ? (
                    <button
                      type="button"
                      onClick={() => setSorting(nextSorting(sorting, header.column.id))}
                      className="font-semibold hover:text-ink"
                    >
                      <table.FlexRender header={header} />
                      <span aria-hidden="true">
                        {sorting?.title === header.column.id ? (sorting.down ? " ↓" : " ↑") : ""}
                      </span>
                    </button>
                  ) : (
                    <table.FlexRender header={header} />
                  )}
                </div>
              ))}
            </div>
          ))}
          <div role="rowgroup" className="relative" style={printing ? undefined : { height: virtual.getTotalSize() }}>
            {(printing ? rows.map((row, index) => ({ key: row.id, index, start: 0 })) : inSight).map((at) => (
              <div
                role="row"
                key={at.key}
                data-index={at.index}
                ref={virtual.measureElement}
                className={`${printing ? "break-inside-avoid" : "absolute inset-x-0"} grid items-start gap-4 border-b border-hairline px-2 py-1.5 hover:bg-sheet`}
                style={printing ? grid : { ...grid, transform: `translateY(${at.start}px)` }}
              >
                {/* Called, not rendered as a component: a new function would take the cell, and its focus, away. */}
                {rows[at.index]?.getAllCells().map((cell, column) => (
                  <div role="cell" key={cell.id} className={`min-w-0 break-words ${side(cell.column.id)}`}>
                    {shown[column]?.cell(cell.row.original)}
                  </div>
                ))}
              </div>
            ))}
          </div>
        </div>
      </section>
    </>
  );
}

/** The column in which rows are chosen. */
const chooser = <T extends RowData>(of: Selection<T>): Column<T> => ({
  title: "Select",
  width: "40px",
  cell: (item) => (
    <input
      type="checkbox"
      aria-label={`Choose ${of.name(item)}`}
      checked={of.has(item)}
      onChange={() => of.toggle(item)}
      className="accent-brass"
    />
  ),
});
