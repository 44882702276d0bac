<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "holder", title: "Holder", class: "min-w-[220px]", cell: "font-[620]" },
  { key: "youAreThere", title: "You sign in as" },
  { key: "requests", title: "Requests" },
  { key: "offersToYou", title: "Offers to you" },
  { key: "toDecide", title: "To decide" },
  { key: "stuckOrders", title: "Stuck orders" },
  { key: "act", title: "Act", cell: "text-right", quiet: true },
];

/** Everyone in whose name someone acts, and what waits for them in each. */
const session = useSession();
const found = useQuery({
  queryKey: ["holders"],
  queryFn: () => take(api.GET("/session/holders")),
  staleTime: 0,
});
const act = useMutation({
  mutationFn: (workspace: string) => session.actFor(workspace),
  // All that is shown is loaded anew: nothing of one holder may be left on a page of another.
  onSuccess: () => window.location.assign("/"),
});
const count = (number: number): string => (number ? String(number) : "–");
</script>

<template>
  <section
    class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4"
    aria-label="Your workspaces"
    tabindex="0"
  >
    <h1>Your workspaces</h1>
    <p class="mt-[5px] max-w-2xl text-mute">
      If you manage the accounts of several holders, you sign in to a workspace for each, and see here what
      waits in all of them. Each sign-in keeps its own role; no holder sees anything of another.
    </p>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-6 max-w-xl" />
    <p v-else-if="found.isPending.value" class="mt-6 text-mute" role="status">Loading…</p>
    <DataTable
      v-else
      class="mt-5 max-w-[920px]"
      :columns="COLUMNS"
      :rows="found.data.value?.items ?? []"
      :key-of="(one) => one.workspace"
    >
      <template #holder="{ row: one }">{{ one.name }}</template>
      <template #youAreThere="{ row: one }"
        >{{ one.person }}<span class="small block">{{ one.role }}</span>
      </template>
      <template #requests="{ row: one }">{{ count(one.requests) }}</template>
      <template #offersToYou="{ row: one }">{{ count(one.offers) }}</template>
      <template #toDecide="{ row: one }">{{ count(one.items) }}</template>
      <template #stuckOrders="{ row: one }">{{ count(one.stuck) }}</template>
      <template #act="{ row: one, place }">
        <span v-if="place === 0" class="text-plain text-mute">in use now</span>
        <button
          v-else
          type="button"
          class="button"
          :disabled="act.isPending.value"
          @click="act.mutate(one.workspace)"
        >
          Switch to it
        </button>
      </template>
    </DataTable>
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4 max-w-xl" />
    <RouterLink class="button mt-5 inline-block" :to="{ path: '/sign-in', query: { more: 'yes' } }">
      Sign in to another workspace
    </RouterLink>
    <p class="mt-5 font-mono text-small text-mute">openlatch profile list</p>
  </section>
</template>
