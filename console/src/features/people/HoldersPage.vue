<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import WorkspaceForm from "./WorkspaceForm.vue";

/** Everyone in whose name somebody acts, and what waits for them in each. */
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
    aria-label="In whose name"
    tabindex="0"
  >
    <h1>In whose name</h1>
    <p class="mt-[5px] max-w-2xl text-mute">
      Whoever looks after the accounts of several holders signs in for each, and sees here what waits in every
      name. Each sign-in keeps its own rights; nothing of one holder is seen by another.
    </p>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-6 max-w-xl" />
    <p v-else-if="found.isPending.value" class="mt-6 text-mute" role="status">Looking…</p>
    <table v-else class="mt-5 w-full max-w-[920px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head min-w-[220px]">Holder</th>
          <th class="head">You are there</th>
          <th class="head">Requests</th>
          <th class="head">Offers to you</th>
          <th class="head">To decide</th>
          <th class="head">Stuck orders</th>
          <th class="head"><span class="sr-only">Act</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(one, place) in found.data.value?.items" :key="one.workspace" class="border-b border-line">
          <td class="cell font-[620]">{{ one.name }}</td>
          <td class="cell">
            {{ one.person }}<span class="small block">{{ one.role }}</span>
          </td>
          <td class="cell tabular-nums">{{ count(one.requests) }}</td>
          <td class="cell tabular-nums">{{ count(one.offers) }}</td>
          <td class="cell tabular-nums">{{ count(one.items) }}</td>
          <td class="cell tabular-nums">{{ count(one.stuck) }}</td>
          <td class="cell text-right">
            <span v-if="place === 0" class="text-[13.5px] text-mute">you act in this name now</span>
            <button
              v-else
              type="button"
              class="button"
              :disabled="act.isPending.value"
              @click="act.mutate(one.workspace)"
            >
              Act in this name
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4 max-w-xl" />
    <RouterLink class="button mt-5 inline-block" :to="{ path: '/sign-in', query: { more: 'yes' } }">
      Act for another holder as well
    </RouterLink>
    <p class="mt-5 font-mono text-[12.5px] text-mute">openlatch holders</p>
    <WorkspaceForm />
  </section>
</template>
