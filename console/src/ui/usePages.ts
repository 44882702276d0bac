import { useInfiniteQuery, type QueryKey } from "@tanstack/vue-query";
import { computed, toValue, type MaybeRefOrGetter } from "vue";

interface Page<T> {
  items: T[];
  next: string | null;
}

interface Options<P> {
  /** Shows what was found before until what is wanted now is there. */
  keeps?: boolean;
  /** After how many milliseconds to look again, by the pages that are there; false for never. */
  again?: (pages: P[]) => number | false;
}

/** A list of the service, fetched page by page: all that is there so far, and how to get more of it. */
export function usePages<T, P extends Page<T>>(
  key: MaybeRefOrGetter<QueryKey>,
  fetch: (cursor: string | undefined) => Promise<P & Page<T>>,
  { keeps = false, again }: Options<P> = {},
) {
  const pages = useInfiniteQuery({
    queryKey: computed(() => toValue(key)),
    queryFn: ({ pageParam }) => fetch(pageParam),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    structuralSharing: false,
    placeholderData: (former) => (keeps ? former : undefined),
    refetchInterval: (query) => again?.(query.state.data?.pages ?? []) ?? false,
  });
  const items = computed<T[]>(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
  const first = computed<P | undefined>(() => pages.data.value?.pages[0]);
  // Asked again while one is on its way, it would call that one off and begin anew.
  function more(): void {
    if (!pages.isFetching.value) void pages.fetchNextPage();
  }
  return {
    items,
    first,
    more,
    error: pages.error,
    isPending: pages.isPending,
    hasMore: pages.hasNextPage,
    refetch: pages.refetch,
  };
}
