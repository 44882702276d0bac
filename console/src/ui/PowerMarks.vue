<script setup lang="ts">
import { computed } from "vue";
import { POWERS, powerMarks } from "./powers";

const props = defineProps<{ held: readonly string[]; used: readonly string[] | null | undefined }>();
const marks = computed(() => powerMarks(props.held, props.used));
const label = computed(() => props.held.join(", ") || "no power of its own");
</script>

<template>
  <span class="flex gap-1" role="img" :aria-label="label">
    <i
      v-for="(mark, place) in marks"
      :key="POWERS[place]"
      :title="mark === 'none' ? '' : mark === 'idle' ? `${POWERS[place]}, not used lately` : POWERS[place]"
      class="size-[11px] rounded-[2px]"
      :class="[
        place === 4 || place === 6 ? 'ml-[5px]' : '',
        mark === 'none' ? 'bg-blank' : '',
        mark === 'used' ? (place === 4 || place === 5 ? 'bg-high' : 'bg-used') : '',
        mark === 'idle' ? ['border-2', place === 4 || place === 5 ? 'border-high' : 'border-used'] : '',
      ]"
    />
  </span>
</template>
