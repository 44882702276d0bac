<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { api, take, type SamenessDecision } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { day, exact } from "@/ui/time";

/** What people have said of who is the same as whom, each with the way back. */
defineProps<{ decisions: SamenessDecision[]; mayUndo: boolean }>();
const { zone } = useSession();
const queries = useQueryClient();
const undo = useMutation({
  mutationFn: (decision: string) =>
    take(api.POST("/sameness-decisions/{decision}/undo", { params: { path: { decision } } })),
  onSuccess: () => queries.invalidateQueries(),
});
const SAID = { joined: "joined", apart: "kept apart", parted: "parted" } as const;
</script>

<template>
  <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Decided">
    <table class="mt-2 w-full min-w-[720px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head">Parties</th>
          <th class="head">Decision</th>
          <th class="head">By</th>
          <th class="head">Reason</th>
          <th class="head"><span class="sr-only">Undo</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in decisions" :key="one.id" class="border-b border-line">
          <td class="cell">
            <RouterLink class="hover:underline" :to="`/parties/${one.one.ref}`">{{
              one.one.name
            }}</RouterLink>
            <span class="small ml-1">{{ one.one.ref }}</span> and
            <RouterLink class="hover:underline" :to="`/parties/${one.other.ref}`">{{
              one.other.name
            }}</RouterLink>
            <span class="small ml-1">{{ one.other.ref }}</span>
          </td>
          <td class="cell">{{ SAID[one.verdict] }}</td>
          <td class="cell" :title="exact(one.decided_at)">
            {{ one.decided_by }}, {{ day(one.decided_at, zone) }}
          </td>
          <td class="cell break-words">{{ one.reason }}</td>
          <td class="cell text-right">
            <span v-if="one.undone_at" class="small" :title="exact(one.undone_at)"
              >undone by {{ one.undone_by }}, {{ day(one.undone_at, zone) }}</span
            >
            <button
              v-else-if="mayUndo"
              type="button"
              class="button"
              :disabled="undo.isPending.value"
              @click="undo.mutate(one.id)"
            >
              Undo
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <ProblemNote v-if="undo.error.value" :error="undo.error.value" class="mt-3 max-w-xl" />
</template>
