<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import EventTable from "./EventTable.vue";

/** The log, or the part of it that is about an account or a party; `size` is that of the log, as far as is known. */
const props = defineProps<{ account?: string; party?: string; size?: number }>();
const pages = useInfiniteQuery({
  queryKey: computed(() => ["log", "list", props.account, props.party, props.size]),
  queryFn: ({ pageParam }) =>
    take(
      api.GET("/log", {
        params: { query: { account: props.account, party: props.party, limit: 100, cursor: pageParam } },
      }),
    ),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  placeholderData: (former) => former,
});
const { error, isPending, hasNextPage } = pages;
const events = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
</script>

<template>
  <ProblemNote v-if="error" :error="error" class="max-w-xl" />
  <p v-else-if="isPending" class="text-mute" role="status">Reading the log…</p>
  <p v-else-if="!events.length" class="text-mute">Nothing has happened yet.</p>
  <template v-else>
    <EventTable :events="events" />
    <button v-if="hasNextPage" type="button" class="button my-4" @click="pages.fetchNextPage()">
      Earlier events
    </button>
  </template>
</template>
