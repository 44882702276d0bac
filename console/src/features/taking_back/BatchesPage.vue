<script setup lang="ts">
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact } from "@/ui/time";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import { titleOf } from "./title";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import { usePages } from "@/ui/usePages";

const COLUMNS: Column[] = [
  { key: "what", title: "What", class: "min-w-[200px]" },
  { key: "outcome", title: "Result", class: "w-[340px]", cell: "pt-3" },
  { key: "givenBy", title: "Given by" },
  { key: "when", title: "When", cell: "whitespace-nowrap" },
];

const now = useNow();
const { zone } = useSession();
const {
  items: batches,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  ["batches", "list"],
  (cursor) => take(api.GET("/batches", { params: { query: { limit: 50, cursor } } })),
  { again: (pages) => pages.some((page) => page.items.some((one) => !one.over)) && 2500 },
);
</script>

<template>
  <ListPage
    title="Batches"
    lead="Orders for many entries at once, and for leavers."
    :error="error"
    :pending="isPending"
    :empty="!batches.length"
    nothing="There are no batches yet."
    hint="Batches are started in the inventory with “Act on all”, or for a leaver."
    :more="hasMore"
    more-text="Earlier ones"
    @more="more"
  >
    <template #filter>
      <nav class="mt-4 text-plain" aria-label="Orders">
        <RouterLink class="link" to="/orders">All orders, one by one</RouterLink>
      </nav>
    </template>
    <DataTable :columns="COLUMNS" :rows="batches" :key-of="(batch) => batch.id" :least="720">
      <template #what="{ row: batch }">
        <RouterLink class="font-[620] hover:underline" :to="`/batches/${batch.ref}`">{{
          titleOf(batch)
        }}</RouterLink>
        <span class="small block font-mono">{{ batch.ref }}</span>
      </template>
      <template #outcome="{ row: batch }">
        <OutcomeBar :outcomes="batch.outcomes" />
      </template>
      <template #givenBy="{ row: batch }"
        >{{ batch.ordered_by }}<span class="small block">{{ batch.reason }}</span>
      </template>
      <template #when="{ row: batch }">
        <span :title="exact(batch.ordered_at)"
          >{{ ago(batch.ordered_at, now) }}
          <span v-if="batch.begins_at" class="small block"
            >begins {{ day(batch.begins_at, zone) }}</span
          ></span
        >
      </template>
    </DataTable>
  </ListPage>
</template>
