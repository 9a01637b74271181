import { keepPreviousData, type QueryKey, useInfiniteQuery } from "@tanstack/react-query";
import type { Heard } from "./live";

type Page<T> = { items: T[]; next: string };

/** A list of the service: how a page of it is read, and what makes it old. */
export type List<T> = {
  key: QueryKey;
  meta: Heard;
  page: (cursor: string, limit: number, signal?: AbortSignal) => Promise<Page<T>>;
  every?: number; // milliseconds after which it is read again anyway
};

/** Entries of a page on the screen, and of one that is read to be saved. */
const size = { shown: 200, saved: 500 };

/** A list, read page by page as one nears its end. After a page has failed it reads on only when asked to. */
export function usePages<T>(of: List<T>) {
  const list = useInfiniteQuery({
    queryKey: of.key,
    queryFn: ({ pageParam, signal }) => of.page(pageParam, size.shown, signal),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: keepPreviousData,
    meta: of.meta,
    ...(of.every !== undefined && { refetchInterval: of.every }), // else as every reading is: what failed is tried again
  });
  return {
    items: list.data?.pages.flatMap((page) => page.items) ?? [],
    read: list.data !== undefined,
    pending: list.isPending,
    error: list.error,
    more: list.hasNextPage && !list.isError,
    readMore: () => {
      if (!list.isFetching && !list.isError) list.fetchNextPage();
    },
  };
}

/** Reads every page of a list, and tells how many entries there are so far. */
export async function everything<T>(
  of: List<T>,
  signal?: AbortSignal,
  sofar: (entries: number) => void = () => {},
): Promise<T[]> {
  const all: T[] = [];
  let cursor = "";
  do {
    const page = await of.page(cursor, size.saved, signal);
    all.push(...page.items);
    sofar(all.length);
    cursor = page.next;
  } while (cursor);
  return all;
}
