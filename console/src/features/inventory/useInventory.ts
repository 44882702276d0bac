import { useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";
import { api, take, type Entry } from "@/api/client";
import { without, type Filter } from "@/ui/list/kind";
import { toQuery } from "./filters";

/** The entries that a filter leaves, fetched page by page, and how many there are of them. */
export function useInventory(filter: Ref<Filter>) {
  const pages = useInfiniteQuery({
    queryKey: computed(() => ["entries", "list", without(filter.value, "columns")]),
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/entries", {
          // The first page is to be there soon; whoever scrolls on is helped by fewer and larger ones.
          params: { query: { ...toQuery(filter.value), limit: pageParam ? 500 : 100, cursor: pageParam } },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    structuralSharing: false,
    placeholderData: (former) => former,
  });
  const summary = useQuery({
    queryKey: computed(() => ["entries", "summary", without(filter.value, "sort", "columns")]),
    queryFn: () =>
      take(
        api.GET("/entries/summary", { params: { query: toQuery(without(filter.value, "sort", "columns")) } }),
      ),
    placeholderData: (former) => former,
  });
  const entries = computed<Entry[]>(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
  // Asked again while one is on its way, it would call that one off and begin anew.
  function more(): void {
    if (!pages.isFetching.value) void pages.fetchNextPage();
  }
  return { ...pages, entries, more, summary: summary.data };
}

/** One entry, by its id or short form. */
export function useEntry(ref: Ref<string>) {
  return useQuery({
    queryKey: computed(() => ["entries", "one", ref.value]),
    queryFn: () => take(api.GET("/entries/{entry}", { params: { path: { entry: ref.value } } })),
  });
}
