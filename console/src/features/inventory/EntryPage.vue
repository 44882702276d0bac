<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useSession } from "@/api/session";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import OrderPanel from "@/features/orders/OrderPanel.vue";
import OrderProgress from "@/features/orders/OrderProgress.vue";
import EventList from "@/features/record/EventList.vue";
import PageTabs from "@/ui/PageTabs.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import ActivityList from "./activity/ActivityList.vue";
import EntryActs from "./EntryActs.vue";
import EntryFacts from "./EntryFacts.vue";
import EntryRisk from "./EntryRisk.vue";
import InventoryTable from "./InventoryTable.vue";
import { useEntry, useInventory } from "./useInventory";

/** One access, and everything about it in one place. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const mayEnd = session.may("orders.create");
const mayReadLog = session.may("log.browse");
const mayReadActivity = session.may("activity.browse");
const { data: entry, error, refetch } = useEntry(computed(() => String(route.params.entry)));
const ending = ref(false);
const account = computed(() => entry.value?.account.ref ?? "");
const others = useInventory(computed(() => ({ account: account.value })));
const tabs = computed(() =>
  (
    [
      ["others", "Who else has access"],
      ["activity", "Activity"],
      ["history", "History"],
    ] as const
  ).filter(
    ([tab]) => (tab !== "activity" || mayReadActivity.value) && (tab !== "history" || mayReadLog.value),
  ),
);
const shown = computed(() => tabs.value.find(([tab]) => tab === route.query.show)?.[0] ?? "others");
</script>

<template>
  <section class="h-full overflow-auto pb-8" aria-label="Entry" tabindex="0">
    <ProblemNote v-if="error" :error="error" class="mx-[26px] mt-6 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/inventory">The inventory</RouterLink>
    </ProblemNote>
    <p v-else-if="!entry" class="mx-[26px] mt-8 text-mute" role="status">Reading the entry…</p>
    <template v-else>
      <header
        class="sticky top-0 z-6 flex flex-wrap items-center justify-between gap-x-6 gap-y-2 border-b border-line bg-paper px-[26px] py-3 max-sm:px-4"
      >
        <p>
          <RouterLink class="link" to="/inventory">Inventory</RouterLink>
          <span class="text-mute"> · {{ entry.party.name }} on {{ entry.account.name }}</span>
        </p>
        <div class="flex flex-wrap items-center gap-[10px]">
          <EntryActs :entry="entry" @order="ending = true" @changed="refetch()" />
        </div>
      </header>
      <div
        class="grid grid-cols-[minmax(0,440px)_minmax(0,1fr)] gap-x-12 px-[26px] pt-4 max-lg:grid-cols-1 max-sm:px-4"
      >
        <EntryFacts :entry="entry" page />
        <div class="max-w-[560px]">
          <FreshnessNote />
          <OrderProgress
            v-if="entry.order"
            :key="entry.order.ref"
            :order-ref="entry.order.ref"
            @over="refetch()"
          />
          <EntryRisk :entry="entry" />
        </div>
      </div>
      <div class="mt-6 px-[26px] max-sm:px-4">
        <PageTabs label="Entry" :tabs="tabs" :shown="shown" />
        <div
          v-if="shown === 'history'"
          class="mt-4 overflow-x-auto"
          tabindex="0"
          role="region"
          aria-label="history"
        >
          <EventList :entry="entry.ref" />
        </div>
        <ActivityList
          v-else-if="shown === 'activity'"
          class="mt-4"
          :account="entry.account.ref"
          :party="entry.party.ref"
        />
        <InventoryTable
          v-else-if="others.entries.value.length"
          class="mt-3 h-[420px]"
          :entries="others.entries.value"
          :open="entry.ref"
          :more="others.hasNextPage.value"
          @show="(other) => other && router.push(`/entries/${other}`)"
          @more="others.more()"
        />
        <p class="mt-5 font-mono text-small text-mute">openlatch show {{ entry.ref }}</p>
      </div>
      <SidePanel
        v-if="ending"
        :label="`${entry.party.name} on ${entry.account.name}`"
        @close="ending = false"
      >
        <OrderPanel
          :entry="entry"
          :own="!mayEnd"
          @back="ending = false"
          @ordered="((ending = false), refetch())"
        />
      </SidePanel>
    </template>
  </section>
</template>
