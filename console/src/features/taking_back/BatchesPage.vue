<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type Batch } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact } from "@/ui/time";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import { titleOf } from "./title";

const now = useNow();
const { zone } = useSession();
const pages = useInfiniteQuery({
  queryKey: ["batches", "list"],
  queryFn: ({ pageParam }) =>
    take(api.GET("/batches", { params: { query: { limit: 50, cursor: pageParam } } })),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  refetchInterval: (query) =>
    query.state.data?.pages.some((page) => page.items.some((one) => !one.over)) ? 2500 : false,
});
const { error, isPending, hasNextPage } = pages;
const batches = computed<Batch[]>(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
</script>

<template>
  <ListPage
    title="Batches"
    lead="Orders for many entries at once, and for those who go."
    :error="error"
    :pending="isPending"
    :empty="!batches.length"
    nothing="Nothing was ordered for many at once yet."
    hint="It begins in the inventory, with “Do the same to all”, or at a party who leaves."
    :more="hasNextPage"
    more-text="Earlier ones"
    @more="pages.fetchNextPage()"
  >
    <template #filter>
      <nav class="mt-4 text-[13px]" aria-label="Orders">
        <RouterLink class="link" to="/orders">All orders, one by one</RouterLink>
      </nav>
    </template>
    <table class="w-full min-w-[720px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head min-w-[200px]">What</th>
          <th class="head w-[340px]">What came of it</th>
          <th class="head">Given by</th>
          <th class="head">When</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="batch in batches" :key="batch.id" class="border-b border-line">
          <td class="cell">
            <RouterLink class="font-[620] hover:underline" :to="`/batches/${batch.ref}`">{{
              titleOf(batch)
            }}</RouterLink>
            <span class="small block font-mono">{{ batch.ref }}</span>
          </td>
          <td class="cell pt-3"><OutcomeBar :outcomes="batch.outcomes" /></td>
          <td class="cell">
            {{ batch.ordered_by }}<span class="small block">{{ batch.reason }}</span>
          </td>
          <td class="cell whitespace-nowrap" :title="exact(batch.ordered_at)">
            {{ ago(batch.ordered_at, now) }}
            <span v-if="batch.begins_at" class="small block">begins {{ day(batch.begins_at, zone) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </ListPage>
</template>
