import { keepPreviousData, type QueryKey, useInfiniteQuery } from "@tanstack/react-query";

type Page<T> = { items: T[]; next: string };

/** A list, read page by page as one nears its end. After a page has failed it reads on only when asked to. */
export function usePages<T>(key: QueryKey, read: (cursor: string) => Promise<Page<T>>) {
  const list = useInfiniteQuery({
    queryKey: key,
    queryFn: ({ pageParam }) => read(pageParam),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: keepPreviousData,
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
