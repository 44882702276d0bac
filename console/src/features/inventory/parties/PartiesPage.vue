<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type PartyQuery } from "@/api/client";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListBar from "@/ui/list/ListBar.vue";
import ListPage from "@/ui/ListPage.vue";
import { without } from "@/ui/list/kind";
import { useList } from "@/ui/list/useList";
import OutsideMark from "@/ui/OutsideMark.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { ago, exact } from "@/ui/time";
import { usePages } from "@/ui/usePages";
import { several } from "@/ui/words";
import { PARTIES } from "./list";

const DRAWN: Column[] = [
  { key: "who", title: "Who", sort: "name" },
  { key: "address", title: "Address or publisher", cell: "text-mute wrap-anywhere" },
  { key: "what", title: "Kind", sort: "kind" },
  { key: "risk", title: "Risk", number: true, sort: "risk", most: true },
  { key: "worst", title: "Worst flag" },
  { key: "access", title: "Access to" },
  { key: "used", title: "Last used", cell: "text-mute" },
  { key: "status", title: "Status" },
  { key: "ref", title: "Id", cell: "font-mono text-small text-mute" },
];
const { filter, columns, sorted, narrowed, change, sort } = useList(PARTIES, DRAWN, ["who"]);
const now = useNow();
const {
  items: parties,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["parties", "list", without(filter.value, "columns")],
  (cursor) =>
    take(
      api.GET("/parties", {
        params: { query: { ...(PARTIES.toQuery(filter.value) as PartyQuery), limit: 200, cursor } },
      }),
    ),
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
    :nothing="narrowed ? 'No party matches.' : 'There are no parties yet.'"
    :hint="
      narrowed ? 'No party matches all the filters above.' : 'Parties appear once a provider has been read.'
    "
    :begin="narrowed ? undefined : { text: 'Add a provider', to: '/providers?add=1' }"
    :more="hasMore"
    @more="more"
  >
    <template #filter>
      <ListBar :kind="PARTIES" :filter="filter" class="mt-4 pr-6" @change="change" />
      <RouterLink class="link mt-2 self-start text-plain" to="/parties/perhaps-the-same">{{
        pairs === 0
          ? "Perhaps the same"
          : pairs === 1
            ? "Two are perhaps the same"
            : `${pairs} pairs are perhaps the same`
      }}</RouterLink>
    </template>
    <DataTable
      :columns="columns"
      :rows="parties"
      :key-of="(party) => party.id"
      :least="820"
      :sorted="sorted"
      steps
      @sort="sort"
    >
      <template #who="{ row: party }">
        <RouterLink :to="`/parties/${party.ref}`" class="font-[620] hover:underline">{{
          party.name
        }}</RouterLink>
        <OutsideMark v-if="party.outside" />
        <span v-if="party.status === 'left'" class="small block font-semibold text-high!">has left</span>
      </template>
      <template #address="{ row: party }"
        ><span v-for="address in party.addresses" :key="address" class="block">{{ address }}</span
        ><template v-if="!party.addresses.length">{{ party.publisher || "none known" }}</template></template
      >
      <template #what="{ row: party }">{{ party.service ? "service account" : party.kind }}</template>
      <template #risk="{ row: party }">{{ party.risk }}</template>
      <template #worst="{ row: party }"
        ><SeverityNotch v-if="party.worst" :severity="party.worst" :height="16" word
      /></template>
      <template #access="{ row: party }">
        <RouterLink class="hover:underline" :to="{ path: '/inventory', query: { party: party.ref } }">{{
          several(party.on_accounts, "account")
        }}</RouterLink>
        <span v-if="party.teams" class="small block">in {{ several(party.teams, "team") }}</span>
      </template>
      <template #used="{ row: party }"
        ><span :title="exact(party.last_used)">{{
          party.last_used ? ago(party.last_used, now) : "not known"
        }}</span></template
      >
      <template #status="{ row: party }">{{
        party.status === "unknown" ? "not known" : party.status
      }}</template>
      <template #ref="{ row: party }">{{ party.ref }}</template>
    </DataTable>
  </ListPage>
</template>
