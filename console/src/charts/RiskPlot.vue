<script setup lang="ts">
import { computed } from "vue";
import { day, moment } from "@/ui/time";
import { span, steps, type RiskPoint } from "./risk";

const props = defineProps<{ points: RiskPoint[]; zone: string; now: number }>();
const WIDTH = 640;
const HEIGHT = 150;
const range = computed(() => span(props.points, props.now));
const drawn = computed(() => steps(props.points, WIDTH, HEIGHT, ...range.value));
const label = computed(() => {
  const last = props.points.at(-1);
  return last ? `Risk over time, ${last.risk} now` : "Risk over time, not known yet";
});
</script>

<template>
  <figure class="max-w-[720px]">
    <svg :viewBox="`-34 -10 ${WIDTH + 50} ${HEIGHT + 36}`" class="w-full" role="img" :aria-label="label">
      <g class="fill-mute text-mini">
        <template v-for="value in [0, 25, 50, 75, 100]" :key="value">
          <line
            :x1="0"
            :x2="WIDTH"
            :y1="HEIGHT * (1 - value / 100)"
            :y2="HEIGHT * (1 - value / 100)"
            class="stroke-line"
          />
          <text :x="-8" :y="HEIGHT * (1 - value / 100) + 4" text-anchor="end">{{ value }}</text>
        </template>
        <text :x="0" :y="HEIGHT + 20">{{ day(new Date(range[0]).toISOString(), zone) }}</text>
        <text :x="WIDTH" :y="HEIGHT + 20" text-anchor="end">today</text>
      </g>
      <path :d="drawn.line" class="fill-none stroke-act" stroke-width="2" />
      <circle v-for="dot in drawn.dots" :key="dot.at" :cx="dot.x" :cy="dot.y" r="3.5" class="fill-act">
        <title>{{ dot.risk }} since {{ moment(dot.at, zone) }}</title>
      </circle>
    </svg>
    <figcaption class="small">Each step is an instant at which the account's risk changed.</figcaption>
  </figure>
</template>
