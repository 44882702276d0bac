<script setup lang="ts">
import { computed } from "vue";
import { parts } from "./outcomes";

const props = defineProps<{ outcomes: Record<string, number> }>();
const shown = computed(() => parts(props.outcomes));
</script>

<template>
  <div>
    <div
      class="flex h-[10px] w-full gap-px overflow-hidden rounded-[2px] forced-color-adjust-none"
      aria-hidden="true"
    >
      <span v-for="one in shown" :key="one.word" :class="one.tone" :style="{ width: `${one.share}%` }" />
    </div>
    <p class="small mt-1">
      <span v-for="(one, place) in shown" :key="one.word" :title="one.means"
        >{{ place ? ", " : "" }}{{ one.number }} {{ one.word }}</span
      >
    </p>
  </div>
</template>
