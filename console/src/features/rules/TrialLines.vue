<script setup lang="ts">
import { computed } from "vue";
import type { Trial } from "@/api/client";

/** What a policy would change among the flags, by rule, with examples. */
const props = defineProps<{ trial: Trial }>();
const told = computed(() => props.trial.lines.filter((line) => line.appear || line.go || line.change));
const sum = (of: "now" | "then"): number => props.trial.lines.reduce((total, line) => total + line[of], 0);
</script>

<template>
  <div>
    <h3 class="section mt-0!">What it would change</h3>
    <p class="text-plain">
      <template v-if="!told.length">No flag would be raised or cleared.</template>
      <template v-else>{{ sum("now") }} flags now, {{ sum("then") }} then.</template>
    </p>
    <div v-for="line in told" :key="line.rule" class="mt-2 border-t border-line pt-2 text-plain">
      <p class="flex gap-2">
        <span class="font-mono text-small">{{ line.rule }}</span>
        <span class="ml-auto tabular-nums">
          <span v-if="line.appear" class="font-[620] text-high">+{{ line.appear }}</span>
          <span v-if="line.go" class="ml-2 font-[620] text-good">−{{ line.go }}</span>
          <span v-if="line.change" class="ml-2">{{ line.change }} differ</span>
        </span>
      </p>
      <p v-for="one in line.examples" :key="one.about.id" class="text-mute">
        <b class="font-[560] text-ink">{{ one.about.name }}</b>: {{ one.reason }}
      </p>
    </div>
  </div>
</template>
