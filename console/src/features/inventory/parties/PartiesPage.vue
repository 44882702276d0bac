<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import ListPage from "@/ui/ListPage.vue";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import OutsideMark from "@/ui/OutsideMark.vue";
import { usePages } from "@/ui/usePages";
import { useQueryParams } from "@/ui/useQueryParams";

const COLUMNS: Column[] = [
  { key: "who", title: "Who" },
  { key: "address", title: "Address", cell: "text-mute" },
  { key: "what", title: "What" },
  { key: "status", title: "Status" },
  { key: "onAccounts", title: "On accounts", number: true },
];

const router = useRouter();
const q = useQueryParams().param("q");
const text = ref(q.value);
let timer = 0;
watch(text, (value) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(
    () => void router.replace({ query: value.trim() ? { q: value.trim() } : {} }),
    200,
  );
});

const {
  items: parties,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["parties", "list", q.value],
  (cursor) => take(api.GET("/parties", { params: { query: { q: q.value, limit: 200, cursor } } })),
  { keeps: true },
);
const alike = useQuery({
  queryKey: ["parties", "alike", ""],
  queryFn: () => take(api.GET("/perhaps-the-same")),
});
const pairs = computed(() => alike.data.value?.items.length ?? 0);
</script>

<template>
  <ListPage
    title="Parties"
    lead="Who and what has access: people, teams, programs."
    :error="error"
    :pending="isPending"
    :empty="!parties.length"
    :nothing="q ? 'No party matches.' : 'There are no parties yet.'"
    hint="Parties appear once a provider has been read."
    :more="hasMore"
    @more="more"
  >
    <template #filter>
      <input
        v-model="text"
        type="search"
        class="field mt-4 w-[250px] text-plain"
        aria-label="Search names and addresses"
        placeholder="Search names and addresses"
      />
      <RouterLink class="link mt-2 self-start text-plain" to="/parties/perhaps-the-same">{{
        pairs === 0
          ? "Perhaps the same"
          : pairs === 1
            ? "Two are perhaps the same"
            : `${pairs} pairs are perhaps the same`
      }}</RouterLink>
    </template>
    <DataTable :columns="COLUMNS" :rows="parties" :key-of="(party) => party.id" :least="640">
      <template #who="{ row: party }">
        <RouterLink :to="`/parties/${party.ref}`" class="font-[620] hover:underline">{{
          party.name
        }}</RouterLink>
        <OutsideMark v-if="party.outside" />
      </template>
      <template #address="{ row: party }">{{ party.addresses.join(", ") || "none known" }}</template>
      <template #what="{ row: party }">{{ party.kind }}</template>
      <template #status="{ row: party }">
        <span :class="party.status === 'left' ? 'font-semibold text-high' : 'text-mute'">{{
          party.status === "unknown" ? "" : party.status
        }}</span>
      </template>
      <template #onAccounts="{ row: party }">{{ party.on_accounts }}</template>
    </DataTable>
  </ListPage>
</template>
