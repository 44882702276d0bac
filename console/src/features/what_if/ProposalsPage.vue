<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { api, take, type Proposal } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "what", title: "What", class: "min-w-[200px]" },
  { key: "state", title: "State", cell: "whitespace-nowrap" },
  { key: "would", title: "What it would change first of all" },
  { key: "by", title: "By", cell: "whitespace-nowrap" },
];

/** Changes that someone has in mind, and what each would change. */
const now = useNow();
const mayPropose = useSession().may("proposals.create");
const found = useQuery({
  queryKey: ["proposals", "list"],
  queryFn: () => take(api.GET("/proposals", { params: { query: { limit: 200 } } })),
  refetchInterval: (query) => (query.state.data?.items.some((one) => one.state === "working") ? 1500 : false),
});
const STATE: Record<Proposal["state"], string> = {
  working: "is being worked out",
  done: "worked out",
  failed: "cannot be worked out",
  applied: "applied",
};
function says(one: Proposal): string {
  const run = one.runs[one.runs.length - 1];
  return run?.outcome ? (run.outcome.sentences[0] ?? "") : (run?.trouble ?? "");
}
</script>

<template>
  <ListPage
    title="What if"
    lead="Changes that someone has in mind, and what they would change, before anything is done."
    :error="found.error.value"
    :pending="found.isPending.value"
    :empty="!found.data.value?.items.length"
    nothing="Nothing is proposed."
    hint="A proposal can end and narrow access, let people in, share documents otherwise, lock accounts, and change the policy, all at once."
  >
    <template #filter>
      <div class="mt-4 flex pr-6">
        <RouterLink v-if="mayPropose" class="button button-act" to="/what-if/new"
          >Propose something</RouterLink
        >
      </div>
    </template>
    <DataTable
      :columns="COLUMNS"
      :rows="found.data.value?.items ?? []"
      :key-of="(one) => one.id"
      :least="640"
    >
      <template #what="{ row: one }">
        <RouterLink class="font-[620] hover:underline" :to="`/what-if/${one.ref}`">{{
          one.title
        }}</RouterLink>
        <span class="small block font-mono">{{ one.ref }}, version {{ one.runs.length }}</span>
      </template>
      <template #state="{ row: one }">{{ STATE[one.state] }}</template>
      <template #would="{ row: one }">{{ says(one) }}</template>
      <template #by="{ row: one }">
        <span :title="exact(one.made_at)"
          >{{ one.made_by }}<span class="small block">{{ ago(one.made_at, now) }}</span></span
        >
      </template>
    </DataTable>
  </ListPage>
</template>
