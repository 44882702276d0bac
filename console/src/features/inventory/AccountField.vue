<script setup lang="ts">
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";
import { useChoices } from "./useChoices";

/** Choosing an account among all there are; what is chosen is its short form. */
const account = defineModel<string>({ required: true });
defineProps<{ placeholder?: string; required?: boolean; bare?: boolean }>();

const { text, chosen, choices, busy, more } = useChoices(account, {
  key: "accounts",
  list: (q, limit) => take(api.GET("/accounts", { params: { query: { q, limit } } })),
  one: (wanted) => take(api.GET("/accounts/{account}", { params: { path: { account: wanted } } })),
  detail: (one) => one.provider.name,
});
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="choices"
    label="Account"
    :placeholder="placeholder ?? 'type a part of its name'"
    :busy="busy"
    :more="more"
    :required="required"
    :bare="bare"
    @choose="account = $event.key"
    @clear="account = ''"
    @search="text = $event"
  />
</template>
