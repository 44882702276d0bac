<script setup lang="ts">
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";
import { useChoices } from "./useChoices";

/** Choosing a party among all there are; what is chosen is its short form. */
const party = defineModel<string>({ required: true });
defineProps<{ label: string; placeholder?: string; required?: boolean; bare?: boolean }>();

const { text, chosen, choices, busy, more } = useChoices(party, {
  key: "parties",
  list: (q, limit) => take(api.GET("/parties", { params: { query: { q, limit } } })),
  one: (wanted) => take(api.GET("/parties/{party}", { params: { path: { party: wanted } } })),
  detail: (one) => one.addresses.join(", ") || one.kind,
});
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="choices"
    :label="label"
    :placeholder="placeholder ?? 'type a part of a name or an address'"
    :busy="busy"
    :more="more"
    :required="required"
    :bare="bare"
    @choose="party = $event.key"
    @clear="party = ''"
    @search="text = $event"
  />
</template>
