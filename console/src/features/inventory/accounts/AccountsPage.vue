<script setup lang="ts">
import { api, take, type AccountQuery } from "@/api/client";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListBar from "@/ui/list/ListBar.vue";
import ListPage from "@/ui/ListPage.vue";
import { useList } from "@/ui/list/useList";
import { without } from "@/ui/list/kind";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { ago, exact } from "@/ui/time";
import { usePages } from "@/ui/usePages";
import { several } from "@/ui/words";
import { useNamed } from "../useNamed";
import { ACCOUNTS } from "./list";

const DRAWN: Column[] = [
  { key: "account", title: "Account", sort: "name" },
  { key: "provider", title: "Provider", cell: "text-mute", sort: "provider" },
  { key: "risk", title: "Risk", number: true, sort: "risk", most: true },
  { key: "worst", title: "Worst flag" },
  { key: "criticality", title: "Criticality", sort: "criticality" },
  { key: "shared", title: "Shared with" },
  { key: "secrets", title: "Known secrets", number: true },
  { key: "reviewed", title: "Reviewed", cell: "text-mute" },
  { key: "used", title: "Last used", cell: "text-mute" },
  { key: "ref", title: "Id", cell: "font-mono text-small text-mute" },
];
const { filter, columns, sorted, narrowed, change, sort } = useList(ACCOUNTS, DRAWN, ["account", "provider"]);
const names = useNamed(filter);
const now = useNow();
const {
  items: accounts,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["accounts", "list", without(filter.value, "columns")],
  (cursor) =>
    take(
      api.GET("/accounts", {
        params: { query: { ...(ACCOUNTS.toQuery(filter.value) as AccountQuery), limit: 200, cursor } },
      }),
    ),
  { keeps: true },
);
</script>

<template>
  <ListPage
    title="Accounts"
    lead="What is shared, with whom, and how much harm could be done on each."
    :error="error"
    :pending="isPending"
    :empty="!accounts.length"
    :nothing="narrowed ? 'No account matches.' : 'No account is known yet.'"
    :hint="
      narrowed
        ? 'No account matches all the filters above.'
        : 'Accounts appear once a provider has been read.'
    "
    :begin="narrowed ? undefined : { text: 'Add a provider', to: '/providers?add=1' }"
    :more="hasMore"
    @more="more"
  >
    <template #filter>
      <ListBar :kind="ACCOUNTS" :filter="filter" :names="names" class="mt-4 pr-6" @change="change" />
    </template>
    <DataTable
      :columns="columns"
      :rows="accounts"
      :key-of="(account) => account.id"
      :least="820"
      :sorted="sorted"
      steps
      @sort="sort"
    >
      <template #account="{ row: account }">
        <RouterLink class="font-[620] hover:underline" :to="`/accounts/${account.ref}`">{{
          account.name
        }}</RouterLink>
      </template>
      <template #provider="{ row: account }">{{ account.provider.name }}</template>
      <template #risk="{ row: account }">{{ account.risk }}</template>
      <template #worst="{ row: account }"
        ><SeverityNotch v-if="account.worst" :severity="account.worst" :height="16" word
      /></template>
      <template #criticality="{ row: account }">
        <span :class="account.criticality === 'vital' ? 'font-semibold' : 'text-mute'"
          >{{ account.criticality }}<template v-if="account.practice">, practice</template
          ><template v-if="account.locked !== null"
            >, {{ account.locked ? "locked" : "not locked" }}</template
          ></span
        >
      </template>
      <template #shared="{ row: account }">
        <RouterLink class="hover:underline" :to="{ path: '/inventory', query: { account: account.ref } }">{{
          several(account.shared_with, "party", "parties")
        }}</RouterLink>
        <span v-if="account.administrators || account.outsiders" class="small block">{{
          [
            account.administrators ? several(account.administrators, "administrator") : "",
            account.outsiders ? several(account.outsiders, "outsider") : "",
          ]
            .filter(Boolean)
            .join(", ")
        }}</span>
      </template>
      <template #secrets="{ row: account }">{{ account.secrets || "" }}</template>
      <template #reviewed="{ row: account }"
        ><span :title="exact(account.last_reviewed)">{{
          account.last_reviewed ? ago(account.last_reviewed, now) : "never"
        }}</span></template
      >
      <template #used="{ row: account }"
        ><span :title="exact(account.last_used)">{{
          account.last_used ? ago(account.last_used, now) : "not known"
        }}</span></template
      >
      <template #ref="{ row: account }">{{ account.ref }}</template>
    </DataTable>
  </ListPage>
</template>
