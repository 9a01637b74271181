import type { RowData } from "@tanstack/react-table";
import { Trouble } from "./page";
import { Paged, type PagedProps } from "./paged";
import { Rows, type RowsProps } from "./rows";

type Props<T extends RowData> = {
  list: PagedProps["list"] & { items: T[]; error: Error | null; more: boolean; readMore: () => void };
  empty: string;
  items?: T[]; // those that are shown, where not all are, or others beside them
} & Omit<RowsProps<T>, "items" | "more" | "readMore">;

/** A list of a page: what went wrong, that nothing is there, or its rows, which go on as somebody scrolls. */
export function PagedRows<T extends RowData>({ list, empty, items = list.items, ...rows }: Props<T>) {
  return (
    <>
      {list.error && <Trouble error={list.error} />}
      <Paged list={list.items.length > 0 ? list : { ...list, items }} empty={empty}>
        <Rows {...rows} items={items} more={list.more} readMore={list.readMore} />
      </Paged>
    </>
  );
}
