<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import ComboField from "@/ui/ComboField.vue";

/** Parts of an account: those that readings have shown, several of them; none is all of it. */
const parts = defineModel<string[]>({ required: true });
const props = defineProps<{ account: string; label: string }>();
const MOST = 20;
const text = ref("");
const list = useQuery({
  queryKey: computed(() => ["accounts", "choices", props.account, text.value]),
  queryFn: () =>
    take(
      api.GET("/accounts/{account}/choices", {
        params: { path: { account: props.account }, query: { part: text.value, limit: MOST } },
      }),
    ),
  enabled: computed(() => props.account !== ""),
  placeholderData: keepPreviousData,
});
const choices = computed(() =>
  (list.data.value?.parts ?? [])
    .filter((one) => !parts.value.includes(one))
    .map((one) => ({ key: one, name: one })),
);
/** An account without parts has nothing to choose from. */
const some = computed(() => text.value !== "" || choices.value.length > 0 || parts.value.length > 0);
</script>

<template>
  <div v-if="some">
    <ul v-if="parts.length" class="mb-1 flex flex-wrap gap-2" :aria-label="`${label}: chosen`">
      <li
        v-for="one in parts"
        :key="one"
        class="flex items-center gap-1 rounded-md bg-wash px-2 py-[2px] text-plain"
      >
        {{ one }}
        <button
          type="button"
          class="px-1 text-mute hover:text-ink"
          :aria-label="`without ${one}`"
          @click="parts = parts.filter((each) => each !== one)"
        >
          ×
        </button>
      </li>
    </ul>
    <ComboField
      :chosen="null"
      :choices="choices"
      :label="label"
      :placeholder="parts.length ? 'another part' : 'the whole account; or type a part of a name'"
      :busy="list.isFetching.value"
      :more="!!list.data.value?.more_parts"
      @choose="parts = [...parts, $event.key]"
      @search="text = $event"
    />
  </div>
</template>
