<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";

/** Choosing an account among all there are; what is chosen is its short form. */
const account = defineModel<string>({ required: true });
defineProps<{ placeholder?: string; required?: boolean; bare?: boolean }>();

const MOST = 12;
const text = ref("");
const list = useQuery({
  queryKey: computed(() => ["accounts", "choices", text.value]),
  queryFn: () => take(api.GET("/accounts", { params: { query: { q: text.value, limit: MOST } } })),
  placeholderData: keepPreviousData,
});
const one = useQuery({
  queryKey: computed(() => ["accounts", "one", account.value]),
  queryFn: () => take(api.GET("/accounts/{account}", { params: { path: { account: account.value } } })),
  enabled: computed(() => account.value !== ""),
  retry: false,
});
const asChoice = (found: { ref: string; name: string; provider: { name: string } }) => ({
  key: found.ref,
  name: found.name,
  detail: `${found.provider.name} · ${found.ref}`,
});
const chosen = computed(() =>
  account.value
    ? one.data.value
      ? asChoice(one.data.value)
      : { key: account.value, name: account.value, detail: "" }
    : null,
);
</script>

<template>
  <ComboField
    :chosen="chosen"
    :choices="list.data.value?.items.map(asChoice) ?? []"
    label="Account"
    :placeholder="placeholder ?? 'type a part of its name'"
    :busy="list.isFetching.value"
    :more="!!list.data.value?.next"
    :required="required"
    :bare="bare"
    @choose="account = $event.key"
    @search="text = $event"
  />
</template>
