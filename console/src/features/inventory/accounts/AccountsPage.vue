<script setup lang="ts">
import { api, take } from "@/api/client";
import ListPage from "@/ui/ListPage.vue";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import { usePages } from "@/ui/usePages";

const COLUMNS: Column[] = [
  { key: "account", title: "Account" },
  { key: "provider", title: "Provider", cell: "text-mute" },
  { key: "criticality", title: "Criticality" },
  { key: "sharedWith", title: "Shared with", number: true },
];

const {
  items: accounts,
  error,
  isPending,
  hasMore,
  more,
} = usePages(["accounts", "list"], (cursor) =>
  take(api.GET("/accounts", { params: { query: { limit: 200, cursor } } })),
);
</script>

<template>
  <ListPage
    title="Accounts"
    lead="What is shared, and with how many."
    :error="error"
    :pending="isPending"
    :empty="!accounts.length"
    nothing="No account is known yet."
    hint="Accounts appear once a provider has been read."
    :more="hasMore"
    @more="more"
  >
    <DataTable class="max-w-3xl" :columns="COLUMNS" :rows="accounts" :key-of="(account) => account.id">
      <template #account="{ row: account }">
        <RouterLink class="font-[620] hover:underline" :to="`/accounts/${account.ref}`">{{
          account.name
        }}</RouterLink>
      </template>
      <template #provider="{ row: account }">{{ account.provider.name }}</template>
      <template #criticality="{ row: account }">
        <span :class="account.criticality === 'vital' ? 'font-semibold' : 'text-mute'"
          >{{ account.criticality }}<template v-if="account.practice">, practice</template
          ><template v-if="account.locked !== null"
            >, {{ account.locked ? "locked" : "not locked" }}</template
          ></span
        >
      </template>
      <template #sharedWith="{ row: account }"
        >{{ account.shared_with }} {{ account.shared_with === 1 ? "party" : "parties" }}
      </template>
    </DataTable>
  </ListPage>
</template>
