<script setup lang="ts">
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";
import { useChoices } from "./useChoices";

/** Choosing one access among all there are; what is chosen is its short form. */
const entry = defineModel<string>({ required: true });
defineProps<{ label: string; placeholder?: string; required?: boolean; bare?: boolean }>();

type Found = Awaited<ReturnType<typeof one>>;
const named = (found: Omit<Found, "name">): Found => ({
  ...found,
  name: `${found.party.name}, “${found.level}” on ${found.account.name}`,
});
async function one(wanted: string) {
  const found = await take(api.GET("/entries/{entry}", { params: { path: { entry: wanted } } }));
  return { ...found, name: "" };
}
const { text, chosen, choices, busy, more } = useChoices<Found>(entry, {
  key: "entries",
  list: async (q, limit) => {
    const page = await take(api.GET("/entries", { params: { query: { q, limit } } }));
    return { ...page, items: page.items.map(named) };
  },
  one: async (wanted) => named(await one(wanted)),
  detail: (found) => found.party.addresses.join(", ") || found.provider.name,
});
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="choices"
    :label="label"
    :placeholder="placeholder ?? 'type a part of a name, an address or an account'"
    :busy="busy"
    :more="more"
    :required="required"
    :bare="bare"
    @choose="entry = $event.key"
    @clear="entry = ''"
    @search="text = $event"
  />
</template>
