<script setup lang="ts">
import { computed } from "vue";
import { api, take, type App, type Entry, type PartyQuery } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListBar from "@/ui/list/ListBar.vue";
import ListPage from "@/ui/ListPage.vue";
import { without } from "@/ui/list/kind";
import { useList } from "@/ui/list/useList";
import OutsideMark from "@/ui/OutsideMark.vue";
import PowerHeads from "@/ui/PowerHeads.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { ago, day, exact } from "@/ui/time";
import { usePages } from "@/ui/usePages";
import { APPS } from "./apps";

const DRAWN: Column[] = [
  { key: "app", title: "App", sort: "name", class: "min-w-[180px]" },
  { key: "risk", title: "Risk", number: true, sort: "risk", most: true },
  { key: "worst", title: "Worst flag" },
  { key: "where", title: "On", class: "min-w-[130px]" },
  { key: "powers", title: "Powers" },
  { key: "asked", title: "What it was given" },
  { key: "since", title: "Since", cell: "text-mute" },
  { key: "used", title: "Last used", cell: "text-mute" },
  { key: "ref", title: "Id", cell: "font-mono text-small text-mute" },
];
/** One app on one account; the first of an app says what the app is. */
interface Line {
  app: App;
  entry: Entry;
  first: boolean;
}
const { filter, columns, sorted, narrowed, change, sort } = useList(APPS, DRAWN, ["app"]);
const { zone } = useSession();
const now = useNow();
const { items, error, isPending, hasMore, more } = usePages(
  () => ["entries", "apps", without(filter.value, "columns")],
  (cursor) =>
    take(
      api.GET("/apps", {
        params: { query: { ...(APPS.toQuery(filter.value) as PartyQuery), limit: 200, cursor } },
      }),
    ),
  { keeps: true },
);
const lines = computed<Line[]>(() =>
  items.value.flatMap((app) => app.entries.map((entry, place) => ({ app, entry, first: !place }))),
);
function used(entry: Entry): string {
  if (entry.last_used) return ago(entry.last_used, now.value);
  return entry.use_known ? "never" : "not known";
}
</script>

<template>
  <ListPage
    title="Apps"
    lead="Connected apps: what each can read or change, on which account."
    :error="error"
    :pending="isPending"
    :empty="!lines.length"
    :nothing="narrowed ? 'No app matches.' : 'No app is connected.'"
    :hint="
      narrowed
        ? 'No app matches all the filters above.'
        : 'Apps appear once a provider that lists them has been read.'
    "
    :begin="narrowed ? undefined : { text: 'Add a provider', to: '/providers?add=1' }"
    :more="hasMore"
    @more="more"
  >
    <template #filter>
      <ListBar :kind="APPS" :filter="filter" class="mt-4 pr-6" @change="change" />
    </template>
    <DataTable
      :columns="columns"
      :rows="lines"
      :key-of="(line) => line.entry.id"
      :least="900"
      :sorted="sorted"
      steps
      @sort="sort"
    >
      <template #head-powers><span class="sr-only">Powers</span><PowerHeads /></template>
      <template #app="{ row: line }">
        <template v-if="line.first">
          <RouterLink class="font-[620] hover:underline" :to="`/parties/${line.app.party.ref}`">{{
            line.app.party.name
          }}</RouterLink>
          <OutsideMark v-if="line.app.party.outside" />
          <span class="small block">{{ line.app.party.publisher || "publisher unknown" }}</span>
        </template>
        <span v-else class="sr-only">{{ line.app.party.name }}</span>
      </template>
      <template #risk="{ row: line }"
        ><template v-if="line.first">{{ line.app.party.risk }}</template></template
      >
      <template #worst="{ row: line }"
        ><SeverityNotch v-if="line.entry.flags[0]" :severity="line.entry.flags[0].severity" :height="16" word
      /></template>
      <template #where="{ row: line }">
        <RouterLink
          class="hover:underline"
          :to="{ path: '/inventory', query: { kind: 'app', entry: line.entry.ref } }"
          >{{ line.entry.account.name }}</RouterLink
        >
        <span class="small block">{{ line.entry.provider.name }}</span>
      </template>
      <template #powers="{ row: line }">
        <PowerMarks
          class="pt-1"
          :held="line.entry.powers"
          :used="line.entry.used_powers"
          :unknown="line.entry.unknown"
        />
      </template>
      <template #asked="{ row: line }">
        {{ line.entry.powers.join(", ") || (line.entry.unknown.length ? "not known" : "nothing by itself") }}
        <span v-if="line.entry.permissions.length" class="small block">{{
          line.entry.permissions.join("; ")
        }}</span>
      </template>
      <template #since="{ row: line }">{{ day(line.entry.given_at, zone) }}</template>
      <template #used="{ row: line }"
        ><span :title="exact(line.entry.last_used)">{{ used(line.entry) }}</span></template
      >
      <template #ref="{ row: line }">{{ line.entry.ref }}</template>
    </DataTable>
  </ListPage>
</template>
