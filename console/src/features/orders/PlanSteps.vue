<script setup lang="ts">
import type { Plan } from "@/api/client";
import type { Severity } from "@/ui/notch";

defineProps<{ consequences: Plan["consequences"]; steps: Plan["steps"] }>();

const GRAVITY: Record<Severity, string> = {
  low: "bg-low",
  medium: "bg-medium",
  high: "bg-high",
  critical: "bg-critical",
};
</script>

<template>
  <h3 class="section">What happens</h3>
  <ol>
    <li v-for="one in consequences" :key="one.kind + one.text" class="mb-3 flex gap-3 leading-[1.42]">
      <span
        class="w-[5px] shrink-0 rounded-[1px]"
        :class="GRAVITY[one.severity]"
        role="img"
        :aria-label="one.severity"
      />
      <span>{{ one.text }}</span>
    </li>
  </ol>
  <h3 class="section">How it will be done</h3>
  <ol>
    <li v-for="(step, place) in steps" :key="place" class="mb-[9px] flex gap-[14px] leading-[1.42]">
      <span class="font-serif text-lead leading-[1.2] font-medium text-act" aria-hidden="true">{{
        place + 1
      }}</span>
      <span>{{ step.text }}</span>
    </li>
  </ol>
</template>
