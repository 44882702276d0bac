<script setup lang="ts">
import ProblemNote from "./ProblemNote.vue";

/** What is shown of something that is asked for: why it cannot be known, that it is on its way, or what it is. */
defineProps<{ error: Error | null; pending: boolean; waits?: string }>();
</script>

<template>
  <ProblemNote v-if="error" :error="error" class="max-w-xl" />
  <p v-else-if="pending" class="text-mute" role="status">{{ waits ?? "Loading…" }}</p>
  <slot v-else />
</template>
