<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter, type LocationQueryRaw } from "vue-router";
import { useSession } from "@/api/session";
import { useShortcuts } from "@/app/shortcuts";
import BulkPanel from "@/features/taking_back/BulkPanel.vue";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import EntryPanel from "./EntryPanel.vue";
import ListBar from "@/ui/list/ListBar.vue";
import type { Filter } from "@/ui/list/kind";
import InventoryTable from "./InventoryTable.vue";
import { ENTRIES } from "./filters";
import { useNamed } from "./useNamed";
import { useInventory } from "./useInventory";
import { useQueryParams } from "@/ui/useQueryParams";

const route = useRoute();
const router = useRouter();
const session = useSession();
const mayChangeAll = session.may("batches.create");
const changing = ref(false);

const filter = computed<Filter>(() => ENTRIES.fromAddress(route.query));
const open = useQueryParams().param("entry");
const inventory = useInventory(filter);
const { entries, summary, error, isPending, hasNextPage } = inventory;
const names = useNamed(filter);
const narrowed = computed(() => !!filter.value.q || ENTRIES.chips(filter.value).length > 0);

function change(next: Filter): void {
  void router.replace({ query: ENTRIES.toAddress(next, route.query) });
}
function show(entry: string): void {
  const query: LocationQueryRaw = { ...ENTRIES.toAddress(filter.value, {}), ...(entry ? { entry } : {}) };
  // The first panel is a step that "back" undoes; looking on from there is not one more.
  void (open.value && entry ? router.replace({ query }) : router.push({ query }));
}
function step(by: number): void {
  const at = entries.value.findIndex((entry) => entry.ref === open.value);
  const next = entries.value[Math.min(Math.max(at + by, 0), entries.value.length - 1)];
  if (next) show(next.ref);
}
useShortcuts({
  j: () => step(1),
  k: () => step(-1),
});
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Inventory">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2 pr-6">
      <div>
        <h1>Inventory</h1>
        <p class="mt-[5px] min-h-5 text-mute">
          <template v-if="summary">
            {{ summary.entries.toLocaleString("en") }} {{ summary.entries === 1 ? "entry" : "entries" }} on
            {{ summary.accounts }} {{ summary.accounts === 1 ? "account" : "accounts" }}.
            <button
              v-if="summary.flagged"
              class="link"
              type="button"
              @click="change({ ...filter, flagged: 'true' })"
            >
              {{ summary.flagged }} {{ summary.flagged === 1 ? "has" : "have" }} a flag</button
            ><template v-if="summary.flagged">, {{ summary.severe }} of them high or critical.</template>
            <template v-else-if="summary.entries">None has a flag.</template>
            <button
              v-if="mayChangeAll && summary.entries"
              class="link ml-2"
              type="button"
              @click="changing = true"
            >
              Act on all…
            </button>
          </template>
        </p>
      </div>
      <FreshnessNote />
    </header>
    <ListBar :kind="ENTRIES" :filter="filter" :names="names" class="mt-4 pr-6" @change="change" />
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl">
      <button type="button" class="button mt-3" @click="inventory.refetch()">Try again</button>
    </ProblemNote>
    <InventoryTable
      v-else-if="entries.length"
      :entries="entries"
      :open="open"
      :more="hasNextPage"
      :columns="filter.columns"
      @show="show"
      @more="inventory.more()"
    />
    <p v-else-if="isPending" class="mt-8 text-mute" role="status">Reading the inventory…</p>
    <div v-else class="mt-10 max-w-md">
      <template v-if="narrowed">
        <p class="font-[620]">No entry matches.</p>
        <p class="text-mute">No entry matches all the filters above.</p>
        <button type="button" class="button mt-3" @click="change({})">Show everything</button>
      </template>
      <template v-else>
        <p class="font-[620]">The inventory is empty.</p>
        <p class="text-mute">
          Everyone who has access to your accounts appears here once a provider is read.
        </p>
        <RouterLink class="button mt-3 inline-block" to="/providers">Connect a provider</RouterLink>
      </template>
    </div>
    <BulkPanel v-if="changing" :filter="filter" @close="changing = false" />
    <EntryPanel v-else-if="open" :key="open" :entry-ref="open" @close="show('')" />
  </section>
</template>
