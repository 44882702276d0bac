<script setup lang="ts">
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ActivityList from "./ActivityList.vue";
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Activity">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2 pr-6">
      <div>
        <h1>Activity</h1>
        <p class="mt-[5px] text-mute">What was done on all accounts, by whom, and in whose name.</p>
      </div>
      <FreshnessNote />
    </header>
    <div
      class="mt-5 min-h-0 flex-1 overflow-auto pr-6 pb-6"
      tabindex="0"
      role="region"
      aria-label="List: Activity"
    >
      <ActivityList />
      <p class="mt-5 font-mono text-small text-mute">openlatch activity list</p>
    </div>
  </section>
</template>
