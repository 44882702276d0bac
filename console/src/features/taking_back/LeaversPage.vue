<script setup lang="ts">
import { ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import PartyField from "@/features/inventory/PartyField.vue";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListPage from "@/ui/ListPage.vue";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import { ago, day, exact } from "@/ui/time";
import { usePages } from "@/ui/usePages";

const COLUMNS: Column[] = [
  { key: "who", title: "Who", class: "min-w-[200px]" },
  { key: "outcome", title: "Result", class: "w-[340px]", cell: "pt-3" },
  { key: "state", title: "State", cell: "whitespace-nowrap" },
  { key: "by", title: "Ordered by" },
  { key: "when", title: "When", cell: "whitespace-nowrap" },
];
const router = useRouter();
const now = useNow();
const session = useSession();
const { zone } = session;
const mayStart = session.may("leavers.create");
const who = ref("");
const {
  items: leavers,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  ["batches", "leavers"],
  (cursor) => take(api.GET("/batches", { params: { query: { kind: "leaver", limit: 50, cursor } } })),
  { again: (pages) => pages.some((page) => page.items.some((one) => !one.over)) && 2500 },
);
</script>

<template>
  <ListPage
    title="Leavers"
    lead="People who are leaving: all their access is ended, in the right order, with proof."
    :error="error"
    :pending="isPending"
    :empty="!leavers.length"
    nothing="There are no leavers yet."
    hint="Choose who is leaving. You see everything they have, and what happens, before anything is ended."
    :more="hasMore"
    more-text="Earlier ones"
    @more="more"
  >
    <template #filter>
      <form
        v-if="mayStart"
        class="mt-4 flex max-w-xl items-end gap-3 pr-6"
        @submit.prevent="router.push(`/parties/${who}/leaving`)"
      >
        <PartyField v-model="who" class="min-w-0 flex-1" label="Who is leaving" required />
        <button type="submit" class="button button-act" :disabled="!who">See what they have…</button>
      </form>
    </template>
    <DataTable :columns="COLUMNS" :rows="leavers" :key-of="(one) => one.id" :least="720">
      <template #who="{ row: one }">
        <RouterLink class="font-[620] hover:underline" :to="`/batches/${one.ref}`">{{
          one.party?.name ?? one.ref
        }}</RouterLink>
        <span class="small block font-mono">{{ one.ref }}</span>
      </template>
      <template #outcome="{ row: one }"><OutcomeBar :outcomes="one.outcomes" /></template>
      <template #state="{ row: one }">
        <template v-if="one.cancelled_at">cancelled</template>
        <template v-else-if="one.over">over</template>
        <template v-else-if="one.begins_at">begins {{ day(one.begins_at, zone) }}</template>
        <b v-else-if="one.rests" class="font-[620] text-high">needs a person</b>
        <template v-else>in progress</template>
      </template>
      <template #by="{ row: one }">
        {{ one.ordered_by }}<span class="small block">{{ one.reason }}</span>
      </template>
      <template #when="{ row: one }">
        <span :title="exact(one.ordered_at)">{{ ago(one.ordered_at, now) }}</span>
      </template>
    </DataTable>
    <p class="mt-5 font-mono text-small text-mute">openlatch leaver list</p>
  </ListPage>
</template>
