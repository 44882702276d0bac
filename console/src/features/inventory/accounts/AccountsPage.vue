<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import ListPage from "@/ui/ListPage.vue";

const pages = useInfiniteQuery({
  queryKey: ["accounts", "list"],
  queryFn: ({ pageParam }) =>
    take(api.GET("/accounts", { params: { query: { limit: 200, cursor: pageParam } } })),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
});
const { error, isPending, hasNextPage } = pages;
const accounts = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
</script>

<template>
  <ListPage
    title="Accounts"
    lead="What is shared, and with how many."
    :error="error"
    :pending="isPending"
    :empty="!accounts.length"
    nothing="No account is known yet."
    hint="Accounts appear when a provider has been read."
    :more="hasNextPage"
    @more="pages.fetchNextPage()"
  >
    <table class="w-full max-w-3xl border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head">Account</th>
          <th class="head">Provider</th>
          <th class="head">Criticality</th>
          <th class="head text-right">Shared with</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="account in accounts" :key="account.id" class="border-b border-line hover:bg-wash/60">
          <td class="cell">
            <RouterLink class="font-[620] hover:underline" :to="`/accounts/${account.ref}`">{{
              account.name
            }}</RouterLink>
          </td>
          <td class="cell text-mute">{{ account.provider.name }}</td>
          <td class="cell" :class="account.criticality === 'vital' ? 'font-semibold' : 'text-mute'">
            {{ account.criticality }}<template v-if="account.practice">, practice</template
            ><template v-if="account.locked !== null"
              >, {{ account.locked ? "locked" : "not locked" }}</template
            >
          </td>
          <td class="cell text-right tabular-nums">
            {{ account.shared_with }} {{ account.shared_with === 1 ? "party" : "parties" }}
          </td>
        </tr>
      </tbody>
    </table>
  </ListPage>
</template>
