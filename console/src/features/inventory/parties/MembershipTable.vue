<script setup lang="ts">
import { computed } from "vue";
import type { Membership } from "@/api/client";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";

const columns = computed<Column[]>(() => [
  { key: "which", title: props.of === "team" ? "Team" : "Member" },
  { key: "at", title: "At" },
  { key: "since", title: "Since", cell: "whitespace-nowrap" },
  { key: "act", title: "What can be done", cell: "text-right whitespace-nowrap", quiet: true },
]);

/** Memberships of one team, or of one member: whichever of the two the rows are of is shown. */
const props = defineProps<{
  memberships: Membership[];
  /** There are more than these, among which the service looks for the name. */
  many: boolean;
  of: "team" | "member";
  mayOrder: boolean;
  day: (at: string | null) => string;
}>();
const emit = defineEmits<{ remove: [Membership] }>();
/** So many are looked through without a search, and so many are drawn at a time. */
const FEW = 25;
const MOST = 200;
const wanted = defineModel<string>({ default: "" });
const found = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  return word
    ? props.memberships.filter((one) => one[props.of].name.toLowerCase().includes(word))
    : props.memberships;
});
const shown = computed(() => found.value.slice(0, MOST));
</script>

<template>
  <FormField
    v-if="many || memberships.length > FEW"
    class="mb-2 max-w-xs"
    :label="many ? 'More than can be shown; find by name' : `${memberships.length} of them; find by name`"
  >
    <input v-model="wanted" type="search" class="field w-full" autocomplete="off" />
  </FormField>
  <div class="overflow-x-auto" tabindex="0" role="region" :aria-label="of === 'team' ? 'Teams' : 'Members'">
    <DataTable class="max-w-3xl" :columns="columns" :rows="shown" :key-of="(one) => one.id" :least="560">
      <template #which="{ row: one }">
        <RouterLink
          class="font-[620] hover:underline"
          :to="{ path: `/parties/${one[of].ref}`, query: { show: 'teams' } }"
          >{{ one[of].name }}</RouterLink
        >
        <span v-if="of === 'member' && one.kind !== 'person'" class="small block">{{ one.kind }}</span>
      </template>
      <template #at="{ row: one }">{{ one.provider.name }}</template>
      <template #since="{ row: one }">{{ day(one.since) || "not known" }}</template>
      <template #act="{ row: one }">
        <button
          v-if="mayOrder"
          type="button"
          class="link text-plain"
          :aria-label="`${one.order ? 'See the order about' : 'Remove'} ${one.member.name} in ${one.team.name}`"
          @click="emit('remove', one)"
        >
          {{ one.order ? `order ${one.order}` : "Remove…" }}
        </button>
      </template>
    </DataTable>
  </div>
  <p v-if="found.length > shown.length" class="small mt-2">
    {{ many ? "and more" : `and ${found.length - shown.length} more` }}; find them by name
  </p>
</template>
