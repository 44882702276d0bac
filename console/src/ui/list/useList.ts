import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import type { Column } from "@/ui/DataTable.vue";
import { without, type Filter, type ListKind } from "./kind";

/** What the address of a page says of its list, and how to change that; `drawn` are the columns in which it is shown,
 * those first that are always there. */
export function useList(kind: ListKind, drawn: Column[], always: readonly string[]) {
  const route = useRoute();
  const router = useRouter();
  const filter = computed<Filter>(() => kind.fromAddress(route.query));
  const columns = computed(() => {
    const keys = [...always, ...kind.chosen(filter.value.columns)];
    return drawn.filter((column) => keys.includes(column.key));
  });
  const sorted = computed(() => filter.value.sort ?? kind.orders[0]?.[0] ?? "");
  const narrowed = computed(() => !!filter.value.q || kind.chips(filter.value).length > 0);

  function change(next: Filter): void {
    void router.replace({ query: kind.toAddress(next, route.query) });
  }
  function sort(order: string): void {
    const rest = without(filter.value, "sort");
    change(order === kind.orders[0]?.[0] ? rest : { ...rest, sort: order });
  }
  return { filter, columns, sorted, narrowed, change, sort };
}
