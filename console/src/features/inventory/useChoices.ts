import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref, type Ref } from "vue";

const MOST = 12;

interface Kind<T> {
  /** what things of this kind are kept under */
  key: string;
  list: (q: string, limit: number) => Promise<{ items: T[]; next?: string | null }>;
  one: (ref: string) => Promise<T>;
  /** what tells one apart from others of its name */
  detail: (one: T) => string;
}

/** Choosing one among all of a kind: what is chosen is its short form, and what was typed narrows the choices. */
export function useChoices<T extends { ref: string; name: string }>(picked: Ref<string>, kind: Kind<T>) {
  const text = ref("");
  const list = useQuery({
    queryKey: computed(() => [kind.key, "choices", text.value]),
    queryFn: () => kind.list(text.value, MOST),
    placeholderData: keepPreviousData,
  });
  const one = useQuery({
    queryKey: computed(() => [kind.key, "one", picked.value]),
    queryFn: () => kind.one(picked.value),
    enabled: computed(() => picked.value !== ""),
    retry: false,
  });
  const asChoice = (found: T) => ({
    key: found.ref,
    name: found.name,
    detail: `${kind.detail(found)} · ${found.ref}`,
  });
  const chosen = computed(() => {
    if (!picked.value) return null;
    return one.data.value ? asChoice(one.data.value) : { key: picked.value, name: picked.value, detail: "" };
  });
  return {
    text,
    chosen,
    choices: computed(() => list.data.value?.items.map(asChoice) ?? []),
    busy: list.isFetching,
    more: computed(() => !!list.data.value?.next),
  };
}
