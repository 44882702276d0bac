<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { api, take, type Proposal } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";

/** Changes that somebody has in mind, and what each would change. */
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
    lead="Changes that somebody has in mind, and what they would change, before anything is done."
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
    <table class="w-full min-w-[640px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head min-w-[200px]">What</th>
          <th class="head">State</th>
          <th class="head">What it would change first of all</th>
          <th class="head">By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in found.data.value?.items" :key="one.id" class="border-b border-line align-top">
          <td class="cell">
            <RouterLink class="font-[620] hover:underline" :to="`/what-if/${one.ref}`">{{
              one.title
            }}</RouterLink>
            <span class="small block font-mono">{{ one.ref }}, version {{ one.runs.length }}</span>
          </td>
          <td class="cell whitespace-nowrap">{{ STATE[one.state] }}</td>
          <td class="cell">{{ says(one) }}</td>
          <td class="cell whitespace-nowrap" :title="exact(one.made_at)">
            {{ one.made_by }}<span class="small block">{{ ago(one.made_at, now) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </ListPage>
</template>
