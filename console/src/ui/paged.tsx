import type { ReactNode } from "react";
import { Loading, Nothing } from "./page";

export type PagedProps = {
  list: { items: unknown[]; read: boolean; pending: boolean };
  empty: ReactNode; // said when there are no items
  children: ReactNode; // draws the items
};

/** What stands in place of a list that is read page by page: that it loads, that it is empty, or its items. */
export function Paged({ list, empty, children }: PagedProps) {
  if (list.items.length > 0) return children;
  if (list.pending) return <Loading />;
  return list.read && <Nothing>{empty}</Nothing>;
}
