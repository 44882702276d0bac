<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";

/** Choosing a party among all there are; what is chosen is its short form. */
const party = defineModel<string>({ required: true });
defineProps<{ label: string; placeholder?: string; required?: boolean; bare?: boolean }>();

const MOST = 12;
const text = ref("");
const list = useQuery({
  queryKey: computed(() => ["parties", "choices", text.value]),
  queryFn: () => take(api.GET("/parties", { params: { query: { q: text.value, limit: MOST } } })),
  placeholderData: keepPreviousData,
});
const one = useQuery({
  queryKey: computed(() => ["parties", "one", party.value]),
  queryFn: () => take(api.GET("/parties/{party}", { params: { path: { party: party.value } } })),
  enabled: computed(() => party.value !== ""),
  retry: false,
});
const asChoice = (found: { ref: string; name: string; kind: string; addresses: string[] }) => ({
  key: found.ref,
  name: found.name,
  detail: [found.addresses.join(", ") || found.kind, found.ref].join(" · "),
});
const chosen = computed(() =>
  party.value
    ? one.data.value
      ? asChoice(one.data.value)
      : { key: party.value, name: party.value, detail: "" }
    : null,
);
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="list.data.value?.items.map(asChoice) ?? []"
    :label="label"
    :placeholder="placeholder ?? 'type a part of a name or an address'"
    :busy="list.isFetching.value"
    :more="!!list.data.value?.next"
    :required="required"
    :bare="bare"
    @choose="party = $event.key"
    @search="text = $event"
  />
</template>
