<script setup lang="ts">
import type { Order } from "@/api/client";

defineProps<{ state: Order["state"] }>();

// Each state has a shape of its own, so that it can be told without its colour.
const SHAPE: Record<Order["state"], string> = {
  drafted: "M2 2h10v10H2z",
  waiting: "M3 2h8L7 7l4 5H3l4-5z",
  running: "M3 2l9 5-9 5z",
  told: "M2 7h7M6 3l4 4-4 4",
  proved: "M2 7l4 4 6-8",
  stuck: "M7 2v6M7 11v1",
  cancelled: "M3 3l8 8M11 3l-8 8",
};
const TONE: Record<Order["state"], string> = {
  drafted: "text-mute",
  waiting: "text-medium",
  running: "text-act",
  told: "text-medium",
  proved: "text-good",
  stuck: "text-critical",
  cancelled: "text-mute",
};
</script>

<template>
  <span class="inline-flex items-center gap-[6px] font-[620]" :class="TONE[state]">
    <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
      <path :d="SHAPE[state]" fill="none" stroke="currentColor" stroke-width="2" stroke-linejoin="round" />
    </svg>
    {{ state }}
  </span>
</template>
