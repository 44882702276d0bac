<script setup lang="ts">
import { computed, ref } from "vue";
import type { Membership } from "@/api/client";

/** Memberships of one team, or of one member: whichever of the two the rows are of is shown. */
const props = defineProps<{
  memberships: Membership[];
  of: "team" | "member";
  mayOrder: boolean;
  day: (at: string | null) => string;
}>();
const emit = defineEmits<{ remove: [Membership] }>();
/** So many are looked through without a search, and so many are drawn at a time. */
const FEW = 25;
const MOST = 200;
const wanted = ref("");
const found = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  return word
    ? props.memberships.filter((one) => one[props.of].name.toLowerCase().includes(word))
    : props.memberships;
});
const shown = computed(() => found.value.slice(0, MOST));
</script>

<template>
  <label v-if="memberships.length > FEW" class="mb-2 block max-w-xs">
    <span class="small mb-1 block">{{ memberships.length }} of them; find by name</span>
    <input v-model="wanted" type="search" class="field w-full" autocomplete="off" />
  </label>
  <div class="overflow-x-auto" tabindex="0" role="region" :aria-label="of === 'team' ? 'Teams' : 'Members'">
    <table class="w-full max-w-3xl min-w-[560px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head">{{ of === "team" ? "Team" : "Member" }}</th>
          <th class="head">At</th>
          <th class="head">Since</th>
          <th class="head"><span class="sr-only">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in shown" :key="one.id" class="border-b border-line">
          <td class="cell">
            <RouterLink
              class="font-[620] hover:underline"
              :to="{ path: `/parties/${one[of].ref}`, query: { show: 'teams' } }"
              >{{ one[of].name }}</RouterLink
            >
            <span v-if="of === 'member' && one.kind !== 'person'" class="small block">{{ one.kind }}</span>
          </td>
          <td class="cell">{{ one.provider.name }}</td>
          <td class="cell whitespace-nowrap">{{ day(one.since) || "not told" }}</td>
          <td class="cell text-right whitespace-nowrap">
            <button
              v-if="mayOrder"
              type="button"
              class="link text-[13px]"
              :aria-label="`${one.order ? 'See the order about' : 'Remove'} ${one.member.name} in ${one.team.name}`"
              @click="emit('remove', one)"
            >
              {{ one.order ? `order ${one.order}` : "Remove…" }}
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="found.length > shown.length" class="small mt-2">
    and {{ found.length - shown.length }} more; find them by name
  </p>
</template>
