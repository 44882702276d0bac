<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

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
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Accounts">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2 pr-6">
      <div>
        <h1>Accounts</h1>
        <p class="mt-[5px] text-mute">What is shared, and with how many.</p>
      </div>
      <FreshnessNote />
    </header>
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl" />
    <p v-else-if="isPending" class="mt-8 text-mute" role="status">Looking…</p>
    <div v-else-if="!accounts.length" class="mt-10">
      <p class="font-[620]">No account is known yet.</p>
      <p class="text-mute">Accounts appear when a provider has been read.</p>
    </div>
    <div
      v-else
      class="mt-4 min-h-0 flex-1 overflow-auto pr-6"
      tabindex="0"
      role="region"
      aria-label="List of accounts"
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
              <RouterLink
                class="font-[620] hover:underline"
                :to="{ path: '/inventory', query: { account: account.name } }"
                >{{ account.name }}</RouterLink
              >
            </td>
            <td class="cell text-mute">{{ account.provider.name }}</td>
            <td class="cell" :class="account.criticality === 'vital' ? 'font-semibold' : 'text-mute'">
              {{ account.criticality }}<template v-if="account.practice">, practice</template>
            </td>
            <td class="cell text-right tabular-nums">
              {{ account.shared_with }} {{ account.shared_with === 1 ? "party" : "parties" }}
            </td>
          </tr>
        </tbody>
      </table>
      <button v-if="hasNextPage" type="button" class="button my-4" @click="pages.fetchNextPage()">
        More
      </button>
    </div>
  </section>
</template>
