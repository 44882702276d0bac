<script setup lang="ts">
import type { Entry } from "@/api/client";
import RiskLines from "@/ui/RiskLines.vue";
import EntryFlags from "./EntryFlags.vue";

/** Why an entry needs a look: its risk, what is advised, and its flags. */
defineProps<{ entry: Entry }>();
</script>

<template>
  <div>
    <template v-if="entry.state !== 'ended'">
      <h3 class="section">Risk</h3>
      <RiskLines :risk="entry.risk" :lines="entry.risk_lines" />
    </template>
    <p v-if="entry.advice" class="mt-3 border-l-2 border-act pl-3">
      <b class="font-[620]">Advice.</b> {{ entry.advice.text }}
    </p>
    <EntryFlags :entry="entry" />
  </div>
</template>
