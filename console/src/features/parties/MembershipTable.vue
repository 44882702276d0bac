<script setup lang="ts">
import type { Membership } from "@/api/client";

/** Memberships of one team, or of one member: whichever of the two the rows are of is shown. */
defineProps<{
  memberships: Membership[];
  of: "team" | "member";
  mayOrder: boolean;
  day: (at: string | null) => string;
}>();
const emit = defineEmits<{ remove: [Membership] }>();
</script>

<template>
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
        <tr v-for="one in memberships" :key="one.id" class="border-b border-line">
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
</template>
