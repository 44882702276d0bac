<script setup lang="ts">
import { POWERS } from "@/api/words";
import { standsApart } from "./powers";
</script>

<template>
  <!-- The words over the marks, in their order: each stands over its mark. -->
  <span class="flex h-14 items-end gap-1">
    <span
      v-for="power in POWERS"
      :key="power"
      class="w-[11px] rotate-180 text-mini leading-[11px] font-normal [writing-mode:vertical-rl]"
      :class="standsApart(power) ? 'ml-[5px]' : ''"
      >{{ power }}</span
    >
  </span>
</template>
