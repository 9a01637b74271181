/** By which column rows are sorted, null for as the service gives them. */
export type Sorting = { title: string; down: boolean } | null;

/** Up, down, and as the service gives them. */
export const nextSorting = (now: Sorting, title: string): Sorting =>
  now?.title !== title ? { title, down: false } : now.down ? null : { title, down: true };

/** A sorting as it stands in the address, for one list of the page; none for another list, or none at all. */
export function sortingIn(text: string | null, label: string): Sorting {
  const [of, title, way] = (text ?? "").split(":");
  return of === label && title ? { title, down: way === "down" } : null;
}

/** How a sorting stands in the address. */
export const sortingText = (sorting: Sorting, label: string) =>
  sorting ? `${label}:${sorting.title}${sorting.down ? ":down" : ""}` : "";

type Sortable<T> = { title: string; sort?: (item: T) => string | number };

/** Items in the order that is asked for; equal ones stay as they are. */
export function inOrder<T>(items: T[], columns: Sortable<T>[], sorting: Sorting): T[] {
  const by = sorting && columns.find((c) => c.title === sorting.title)?.sort;
  if (!by) return items;
  const compare = (a: T, b: T) => {
    const [x, y] = [by(a), by(b)];
    return typeof x === "number" && typeof y === "number" ? x - y : String(x).localeCompare(String(y));
  };
  return items.toSorted((a, b) => (sorting.down ? compare(b, a) : compare(a, b)));
}
