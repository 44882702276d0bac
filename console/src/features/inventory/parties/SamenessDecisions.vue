<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { api, take, type SamenessDecision } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { day, exact } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "parties", title: "Parties" },
  { key: "decision", title: "Decision" },
  { key: "by", title: "By" },
  { key: "reason", title: "Reason", cell: "break-words" },
  { key: "act", title: "Undo", cell: "text-right", quiet: true },
];

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
    <DataTable class="mt-2" :columns="COLUMNS" :rows="decisions" :key-of="(one) => one.id" :least="720">
      <template #parties="{ row: one }">
        <RouterLink class="hover:underline" :to="`/parties/${one.one.ref}`">{{ one.one.name }}</RouterLink>
        <span class="small ml-1">{{ one.one.ref }}</span> and
        <RouterLink class="hover:underline" :to="`/parties/${one.other.ref}`">{{
          one.other.name
        }}</RouterLink>
        <span class="small ml-1">{{ one.other.ref }}</span>
      </template>
      <template #decision="{ row: one }">{{ SAID[one.verdict] }}</template>
      <template #by="{ row: one }">
        <span :title="exact(one.decided_at)">{{ one.decided_by }}, {{ day(one.decided_at, zone) }}</span>
      </template>
      <template #reason="{ row: one }">{{ one.reason }}</template>
      <template #act="{ row: one }">
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
      </template>
    </DataTable>
  </div>
  <ProblemNote v-if="undo.error.value" :error="undo.error.value" class="mt-3 max-w-xl" />
</template>
