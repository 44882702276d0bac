<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import { POWERS } from "@/api/words";

const props = defineProps<{ party: string; name: string; accounts: string[] }>();
const account = ref("");
const power = ref<(typeof POWERS)[number]>("edit");
watch(
  () => props.accounts,
  (accounts) => {
    if (!accounts.includes(account.value)) account.value = accounts[0] ?? "";
  },
  { immediate: true },
);
const { data: cut, error } = useQuery({
  queryKey: computed(() => ["parties", "cut", props.party, account.value, power.value]),
  queryFn: () =>
    take(
      api.GET("/parties/{party}/cut", {
        params: { path: { party: props.party }, query: { account: account.value, power: power.value } },
      }),
    ),
  enabled: computed(() => !!account.value),
});
</script>

<template>
  <section aria-label="What would have to end">
    <h3 class="section">What would have to end</h3>
    <p class="flex flex-wrap items-center gap-2">
      So that {{ name }} can no longer
      <select v-model="power" class="field" aria-label="Power">
        <option v-for="one in POWERS" :key="one">{{ one }}</option>
      </select>
      on
      <select v-model="account" class="field" aria-label="Account">
        <option v-for="one in accounts" :key="one">{{ one }}</option>
      </select>
    </p>
    <ProblemNote v-if="error" :error="error" class="mt-3" />
    <template v-else-if="cut">
      <p v-if="!cut.pieces.length" class="mt-3 text-mute">Nothing: this party cannot do that there.</p>
      <ol v-else class="mt-3">
        <li v-for="(piece, place) in cut.pieces" :key="piece.id" class="mb-[7px] flex gap-[14px]">
          <span class="font-serif text-lead leading-[1.2] font-medium text-act" aria-hidden="true">{{
            place + 1
          }}</span>
          <RouterLink v-if="piece.kind === 'entry'" class="hover:underline" :to="`/entries/${piece.ref}`">{{
            piece.text
          }}</RouterLink>
          <RouterLink
            v-else-if="piece.team && piece.member"
            class="hover:underline"
            :to="{
              path: `/parties/${piece.member.ref}`,
              query: { show: 'teams', team: piece.team.ref, member: piece.member.ref },
            }"
            >{{ piece.text }}</RouterLink
          >
          <span v-else>{{ piece.text }}</span>
        </li>
      </ol>
      <p v-if="cut.pieces.length && !cut.hurts.length" class="text-mute">
        That is the smallest set, and nobody else loses anything.
      </p>
      <template v-else-if="cut.hurts.length">
        <p class="font-semibold text-high">It cannot be done without others losing something:</p>
        <ul class="mt-1">
          <li v-for="hurt in cut.hurts" :key="hurt.party.id">
            {{ hurt.party.name }} would lose {{ hurt.loses.join(", ") }}
          </li>
        </ul>
      </template>
    </template>
  </section>
</template>
