<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type PartyOverview } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";

/** An address, or a handle: that of somebody known, found by a part of their name; or any other, as it is typed. */
const address = defineModel<string>({ required: true });
const props = defineProps<{
  label: string;
  name?: string;
  placeholder?: string;
  required?: boolean;
  bare?: boolean;
  /** of which kind of party; left out, of persons */
  kind?: "person" | "app";
}>();
const emit = defineEmits<{ known: [name: string] }>();
const FEW = 8;
const text = ref("");
const list = useQuery({
  queryKey: computed(() => ["parties", "addresses", props.kind ?? "person", text.value]),
  queryFn: () =>
    take(
      api.GET("/parties", {
        params: { query: { q: text.value, kind: props.kind ?? "person", limit: FEW } },
      }),
    ),
  placeholderData: keepPreviousData,
});
/** One line for each address: several parties may carry the same. */
const choices = computed(() => {
  const carriers = new Map<string, PartyOverview[]>();
  for (const party of list.data.value?.items ?? [])
    for (const one of party.addresses) carriers.set(one, [...(carriers.get(one) ?? []), party]);
  return [...carriers].map(([one, parties]) => {
    const names = [...new Set(parties.map((party) => party.name))].filter((name) => name !== one);
    const where = parties.every((party) => party.outside) ? "outside the circle" : "in the circle";
    return { key: one, name: one, party: names[0] ?? "", detail: [...names, where].join(", ") };
  });
});
const chosen = computed(() =>
  address.value ? { key: address.value, name: address.value, party: "", detail: "" } : null,
);
function choose(one: { key: string; party: string }): void {
  address.value = one.key;
  emit("known", one.party);
}
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="choices"
    :label="label"
    :name="name"
    :placeholder="placeholder"
    :busy="list.isFetching.value"
    :more="!!list.data.value?.next"
    :required="required"
    :bare="bare"
    free
    @choose="choose"
    @type="address = $event"
    @search="text = $event"
  />
</template>
