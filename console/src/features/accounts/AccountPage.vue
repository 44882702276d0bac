<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import EntryPanel from "@/features/inventory/EntryPanel.vue";
import InventoryTable from "@/features/inventory/InventoryTable.vue";
import { useInventory } from "@/features/inventory/useInventory";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const mayDescribe = useSession().may("accounts.describe");
const wanted = computed(() => String(route.params.account));
const open = computed(() => (typeof route.query.entry === "string" ? route.query.entry : ""));

const { data: account, error } = useQuery({
  queryKey: computed(() => ["accounts", "one", wanted.value]),
  queryFn: () => take(api.GET("/accounts/{account}", { params: { path: { account: wanted.value } } })),
});
const { data: administrators } = useQuery({
  queryKey: computed(() => ["entries", "administrators", wanted.value]),
  queryFn: () =>
    take(api.GET("/entries/summary", { params: { query: { account: wanted.value, power: "admit,own" } } })),
});
const inventory = useInventory(computed(() => ({ account: wanted.value })));
const { entries, summary, hasNextPage, isPending } = inventory;
const describe = useMutation({
  mutationFn: (criticality: string) =>
    take(
      api.PUT("/accounts/{account}", {
        params: { path: { account: wanted.value } },
        body: { criticality: criticality as "minor" | "normal" | "vital", practice: null },
      }),
    ),
  onSuccess: () => queries.invalidateQueries({ queryKey: ["accounts"] }),
});
const admits = computed(() => administrators.value?.parties ?? 0);
function show(entry: string): void {
  const query = entry ? { entry } : {};
  void (open.value && entry ? router.replace({ query }) : router.push({ query }));
}
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Account">
    <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/accounts">All accounts</RouterLink>
    </ProblemNote>
    <template v-else-if="account">
      <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2 pr-6">
        <div>
          <p class="small">
            <RouterLink class="link" to="/accounts">Accounts</RouterLink> · {{ account.ref }}
          </p>
          <h1 class="mt-1">{{ account.name }}</h1>
          <p class="mt-[5px] text-mute">
            {{ account.provider.name }} · shared with {{ account.shared_with }}
            {{ account.shared_with === 1 ? "party" : "parties" }} ·
            <b v-if="admits === 1" class="font-semibold text-high">only one can let others in</b>
            <template v-else-if="admits">{{ admits }} can let others in</template>
            <b v-else class="font-semibold text-high">nobody is known who can let others in</b>
            <template v-if="summary?.flagged">
              · {{ summary.flagged }} of {{ summary.entries }} entries flagged</template
            >
          </p>
        </div>
        <FreshnessNote />
      </header>
      <div class="mt-4 flex flex-wrap items-center gap-3 pr-6 text-[13px]">
        <label class="flex items-center gap-2">
          <span class="text-mute">How much harm its loss would do</span>
          <select
            class="field"
            :value="account.criticality"
            :disabled="!mayDescribe || describe.isPending.value"
            @change="describe.mutate(($event.target as HTMLSelectElement).value)"
          >
            <option>minor</option>
            <option>normal</option>
            <option>vital</option>
          </select>
        </label>
        <span v-if="account.practice" class="text-mute">for practice</span>
        <RouterLink class="link" :to="{ path: '/inventory', query: { account: account.name } }"
          >Filter and export these entries</RouterLink
        >
        <ProblemNote v-if="describe.error.value" :error="describe.error.value" />
      </div>
      <InventoryTable
        v-if="entries.length"
        :entries="entries"
        :open="open"
        :more="hasNextPage"
        class="mt-3"
        @show="show"
        @more="inventory.fetchNextPage()"
      />
      <p v-else-if="isPending" class="mt-8 text-mute" role="status">Reading the inventory…</p>
      <p v-else class="mt-8">Nobody has access to it now, as far as is known.</p>
      <EntryPanel v-if="open" :key="open" :entry-ref="open" @close="show('')" />
    </template>
    <p v-else class="mt-8 text-mute" role="status">Looking…</p>
  </section>
</template>
