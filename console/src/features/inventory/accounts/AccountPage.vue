<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ActivityList from "@/features/inventory/activity/ActivityList.vue";
import EntryPanel from "@/features/inventory/EntryPanel.vue";
import InventoryTable from "@/features/inventory/InventoryTable.vue";
import { useInventory } from "@/features/inventory/useInventory";
import AccountRisk from "./AccountRisk.vue";
import RecordSecret from "./RecordSecret.vue";
import EventList from "@/features/record/EventList.vue";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import PageTabs from "@/ui/PageTabs.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useQueryParams } from "@/ui/useQueryParams";

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const session = useSession();
const mayDescribe = session.may("accounts.describe");
const mayOffer = session.may("offers.create");
const mayRecord = session.may("secrets.record");
const recording = ref(false);
const wanted = computed(() => String(route.params.account));
const open = useQueryParams().param("entry");

const TABS = [
  ["access", "Who has access"],
  ["risk", "Risk"],
  ["activity", "Activity"],
  ["history", "History"],
] as const;
const shown = computed(() => TABS.find(([tab]) => tab === route.query.show)?.[0] ?? "access");

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
type Description = { criticality: "minor" | "normal" | "vital" | null; practice: boolean | null };
const describe = useMutation({
  mutationFn: (said: Partial<Description>) => {
    const body = { criticality: null, practice: null, ...said };
    return take(api.PUT("/accounts/{account}", { params: { path: { account: wanted.value } }, body }));
  },
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
            <b v-else class="font-semibold text-high">nobody is known to be able to let others in</b>
            <template v-if="summary?.flagged">
              · {{ summary.flagged }} of {{ summary.entries }} entries flagged</template
            >
          </p>
        </div>
        <FreshnessNote />
      </header>
      <div class="mt-4 flex flex-wrap items-center gap-3 pr-6 text-plain">
        <label class="flex items-center gap-2">
          <span class="text-mute">How critical it is: how much harm its loss would do</span>
          <select
            class="field"
            :value="account.criticality"
            :disabled="!mayDescribe || describe.isPending.value"
            @change="
              describe.mutate({
                criticality: ($event.target as HTMLSelectElement).value as Description['criticality'],
              })
            "
          >
            <option>minor</option>
            <option>normal</option>
            <option>vital</option>
          </select>
        </label>
        <label class="flex items-center gap-2">
          <input
            type="checkbox"
            :checked="account.practice"
            :disabled="!mayDescribe || describe.isPending.value"
            @change="describe.mutate({ practice: ($event.target as HTMLInputElement).checked })"
          />
          <span class="text-mute">only for practice</span>
        </label>
        <span v-if="account.locked === true"
          >Locked: nothing here is open to anyone, whatever its parts say.</span
        >
        <b v-else-if="account.locked === false" class="font-semibold text-high"
          >Not locked: its parts can be open to anyone.</b
        >
        <RouterLink class="link" :to="{ path: '/inventory', query: { account: account.ref } }"
          >Filter and export these entries</RouterLink
        >
        <RouterLink
          v-if="mayOffer"
          class="link"
          :to="{ path: '/offers/new', query: { account: account.ref } }"
          >Let someone in</RouterLink
        >
        <button
          v-if="mayRecord"
          type="button"
          class="link"
          :aria-expanded="recording"
          @click="recording = !recording"
        >
          Record who knows a secret
        </button>
        <ProblemNote v-if="describe.error.value" :error="describe.error.value" />
      </div>
      <RecordSecret v-if="recording" :account="account.ref" class="mt-3 border-l-2 border-act pl-4" />
      <PageTabs class="mt-4 mr-6" label="Account" :tabs="TABS" :shown="shown" />
      <div
        v-if="shown !== 'access'"
        class="mt-4 min-h-0 flex-1 overflow-auto pr-6"
        tabindex="0"
        role="region"
        :aria-label="shown"
      >
        <AccountRisk v-if="shown === 'risk'" :key="account.ref" :account="account.ref" />
        <ActivityList v-else-if="shown === 'activity'" :account="account.ref" />
        <EventList v-else :account="account.ref" />
      </div>
      <InventoryTable
        v-else-if="entries.length"
        :entries="entries"
        :open="open"
        :more="hasNextPage"
        class="mt-3"
        @show="show"
        @more="inventory.more()"
      />
      <p v-else-if="isPending" class="mt-8 text-mute" role="status">Reading the inventory…</p>
      <p v-else class="mt-8">Nobody has access to it, as far as is known.</p>
      <EntryPanel v-if="open" :key="open" :entry-ref="open" @close="show('')" />
    </template>
    <p v-else class="mt-8 text-mute" role="status">Loading…</p>
  </section>
</template>
