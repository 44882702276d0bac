<script setup lang="ts">
import { computed } from "vue";
import { months, place, type Axis } from "./strip";

const props = defineProps<{ axis: Axis; zone: string }>();
/** A label at the end stays within the axis: what stands beside it is not run into. */
const HALF = 20;
const labels = computed(() => [
  ...months(props.axis, props.zone),
  { x: place(props.axis, props.axis.now), text: "today" },
]);
</script>

<template>
  <svg
    :width="axis.width"
    height="16"
    :viewBox="`0 0 ${axis.width} 16`"
    aria-hidden="true"
    class="overflow-visible"
  >
    <text
      v-for="label in labels"
      :key="label.text"
      :x="Math.min(label.x, axis.width - HALF)"
      y="12"
      text-anchor="middle"
      class="fill-mute text-small"
    >
      {{ label.text }}
    </text>
  </svg>
</template>
