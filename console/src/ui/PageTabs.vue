<script setup lang="ts">
import { useRoute } from "vue-router";

/** The parts of a page, by the word in the address (`show`); the first one is shown where there is none. */
defineProps<{ label: string; tabs: readonly (readonly [string, string])[]; shown: string }>();
const route = useRoute();

function address(tab: string, place: number) {
  return { path: route.path, query: place ? { show: tab } : {} };
}
</script>

<template>
  <nav class="flex gap-5 border-b border-rule" :aria-label="label">
    <RouterLink
      v-for="([tab, text], place) in tabs"
      :key="tab"
      :to="address(tab, place)"
      class="-mb-px border-b-2 pb-[6px]"
      :class="
        tab === shown
          ? 'border-act font-[620]'
          : 'border-transparent text-mute hover:border-rule hover:text-ink'
      "
      :aria-current="tab === shown ? 'page' : undefined"
      >{{ text }}</RouterLink
    >
  </nav>
</template>
