<script setup lang="ts">
import type { DescriptionTrial } from "@/api/client";
import DataTable from "@/ui/DataTable.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import { several } from "@/ui/words";

/** What a description makes of what a provider answers, and what would be sent to end each access. */
defineProps<{ trial: DescriptionTrial }>();
const COLUMNS = [
  { key: "who", title: "Who", class: "w-[36%]" },
  { key: "access", title: "Access, and what would end it" },
  { key: "can", title: "Can", class: "w-[132px]" },
];
</script>

<template>
  <p v-if="trial.trouble" class="border-l-2 border-high pl-3 text-plain break-words">{{ trial.trouble }}</p>
  <p v-else-if="!trial.tried" class="border-l-2 border-good pl-3 text-plain">
    The description can be used. Give answers, or an address, to see what comes of it.
  </p>
  <template v-else>
    <p>
      <b class="font-[620]">{{ several(trial.total, "entry", "entries") }}</b> on
      {{ several(trial.accounts, "account") }} of {{ several(trial.parties, "party", "parties") }}, by
      {{ several(trial.asked.length, "request") }}.
    </p>
    <ul
      v-if="trial.unknown.length || Object.keys(trial.unexplained).length"
      class="mt-2 text-plain text-medium"
    >
      <li v-for="(count, list) in trial.unexplained" :key="list">
        {{ several(count, "line") }} of “{{ list }}”: no entry by any rule.
      </li>
      <li v-for="level in trial.unknown" :key="level">
        What “{{ level }}” allows is not said: add it under [levels].
      </li>
    </ul>
    <DataTable class="mt-3" :columns="COLUMNS" :rows="trial.entries" :key-of="(one) => one.key" :least="480">
      <template #who="{ row: one }">
        <b class="font-[560]">{{ one.party?.name ?? "no party" }}</b>
        <span class="small block break-words">{{ one.party?.addresses.join(", ") }}</span>
      </template>
      <template #access="{ row: one }">
        {{ one.account }}, {{ one.level || one.kind }}
        <span v-if="one.would_send" class="block font-mono text-small break-all text-mute">
          {{ one.would_send.method }} {{ one.would_send.url }}
          <template v-if="one.would_send.body !== null">{{ JSON.stringify(one.would_send.body) }}</template>
        </span>
        <span v-else class="small block">how to end it is not described</span>
      </template>
      <template #can="{ row: one }">
        <PowerMarks v-if="one.powers" :held="one.powers" :used="null" />
        <span v-else class="text-medium">not said</span>
      </template>
    </DataTable>
    <details class="mt-4 text-plain">
      <summary class="cursor-pointer text-act">What was asked</summary>
      <ol class="mt-1 font-mono text-small">
        <li v-for="request in trial.asked" :key="request" class="break-all">{{ request }}</li>
      </ol>
    </details>
  </template>
</template>
