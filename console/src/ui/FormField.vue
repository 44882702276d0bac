<script setup lang="ts">
/** Something to fill in, under its name; below it what else is to be known, or what is wrong with it. */
defineProps<{ label: string; hint?: string; problem?: string }>();
</script>

<template>
  <label class="block">
    <span class="small mb-1 block">{{ label }}</span>
    <slot />
    <span v-if="problem" class="mt-1 block text-small font-semibold text-high" role="alert">{{
      problem
    }}</span>
    <span v-else-if="hint" class="small mt-1 block">{{ hint }}</span>
  </label>
</template>
