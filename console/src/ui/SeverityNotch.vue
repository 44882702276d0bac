<script setup lang="ts">
import { computed } from "vue";
import { SEVERITIES } from "@/api/words";
import { notchPath, type Severity } from "./notch";

const props = withDefaults(defineProps<{ severity: Severity; height?: number; word?: boolean }>(), {
  height: 24,
  word: false,
});
const FILL: Record<Severity, string> = {
  low: "fill-low",
  medium: "fill-medium",
  high: "fill-high",
  critical: "fill-critical",
};
const path = computed(() => notchPath(SEVERITIES.indexOf(props.severity) + 1, props.height));
</script>

<template>
  <span class="inline-flex items-center gap-2">
    <svg
      width="9"
      :height="height"
      :viewBox="`0 0 9 ${height}`"
      role="img"
      :aria-label="severity"
      class="shrink-0"
    >
      <path :d="path" :class="FILL[severity]" />
    </svg>
    <span v-if="word" class="font-[620]" aria-hidden="true">{{ severity }}</span>
  </span>
</template>
