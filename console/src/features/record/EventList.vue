<script setup lang="ts">
import { computed } from "vue";
import { api, take } from "@/api/client";
import WhenKnown from "@/ui/WhenKnown.vue";
import EventTable from "./EventTable.vue";
import { usePages } from "@/ui/usePages";

/** The log, or the part of it that is about an account, a party or an entry, or that is wanted besides; `size` is that of the
 * log, as far as is known. */
const props = defineProps<{
  account?: string;
  party?: string;
  entry?: string;
  size?: number;
  wanted?: { actor?: string; what?: string; since?: string; until?: string };
}>();
const narrowed = computed(() =>
  Object.values({ ...props.wanted, a: props.account, p: props.party, e: props.entry }).some(Boolean),
);
const {
  items: events,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["log", "list", props.account, props.party, props.entry, props.wanted, props.size],
  (cursor) =>
    take(
      api.GET("/log", {
        params: {
          query: {
            ...Object.fromEntries(Object.entries(props.wanted ?? {}).filter(([, value]) => value)),
            account: props.account,
            party: props.party,
            entry: props.entry,
            limit: 100,
            cursor,
          },
        },
      }),
    ),
  { keeps: true },
);
</script>

<template>
  <WhenKnown :error="error" :pending="isPending" waits="Reading the log…">
    <p v-if="!events.length" class="text-mute">
      {{ narrowed ? "Nothing in the log matches." : "The log is empty." }}
    </p>
    <template v-else>
      <EventTable :events="events" />
      <button v-if="hasMore" type="button" class="button my-4" @click="more">Earlier events</button>
    </template>
  </WhenKnown>
</template>
