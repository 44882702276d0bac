import { computed, type ComputedRef } from "vue";
import { useRoute, useRouter, type LocationQueryValue } from "vue-router";

function text(value: LocationQueryValue | LocationQueryValue[] | undefined): string {
  return typeof value === "string" ? value : "";
}

/** What the address of a page says behind its question mark: read by name, and changed without losing the rest. */
export function useQueryParams() {
  const route = useRoute();
  const router = useRouter();

  /** The value under a name, empty where there is none. */
  function param(name: string): ComputedRef<string> {
    return computed(() => text(route.query[name]));
  }
  /** The address of this page with some values changed; an empty one is left out. */
  function changed(values: Record<string, string>): { query: Record<string, string> } {
    const all = Object.entries({ ...route.query, ...values }).map(([name, value]) => [name, text(value)]);
    return { query: Object.fromEntries(all.filter(([, value]) => value)) };
  }
  function go(values: Record<string, string>): void {
    void router.push(changed(values));
  }
  return { param, changed, go };
}
