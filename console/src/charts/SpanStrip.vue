<script setup lang="ts">
import { computed } from "vue";
import type { Entry } from "@/api/client";
import { letGo } from "@/ui/ended";
import { lastDay } from "@/ui/time";
import { draw, months, type Axis } from "./strip";

const props = defineProps<{ entry: Entry; axis: Axis; zone: string }>();
const H = 22;
const MIDDLE = H / 2;

const strip = computed(() =>
  draw(props.axis, {
    given: props.entry.given_at,
    seen: props.entry.first_seen,
    lastUsed: props.entry.last_used,
    useKnown: props.entry.use_known,
    ends: props.entry.ends_at,
    endUnknown: props.entry.end_unknown,
    ended: props.entry.ended_at,
    reviewed: props.entry.reviewed_at,
  }),
);
const ticks = computed(() => months(props.axis, props.zone));
const label = computed(() => {
  const e = props.entry;
  const used = e.last_used
    ? `last used ${e.last_used.slice(0, 10)}`
    : e.use_known
      ? "never used"
      : "use not known";
  const ends = e.ended_at
    ? `${letGo(e) ? "not watched since" : "ended"} ${e.ended_at.slice(0, 10)}`
    : e.ends_at
      ? `ends ${lastDay(e.ends_at, props.zone)}`
      : "no end";
  return `given ${(e.given_at ?? "at an unknown time").slice(0, 10)}, ${used}, ${ends}`;
});
</script>

<template>
  <svg :width="axis.width" :height="H" :viewBox="`0 0 ${axis.width} ${H}`" role="img" :aria-label="label">
    <line v-for="tick in ticks" :key="tick.x" :x1="tick.x" :x2="tick.x" y1="0" :y2="H" class="stroke-line" />
    <line
      v-if="strip.unknown"
      :x1="strip.unknown.x"
      :x2="strip.unknown.x + strip.unknown.width"
      :y1="MIDDLE"
      :y2="MIDDLE"
      class="stroke-rule"
      stroke-width="2"
      stroke-linecap="round"
      stroke-dasharray="0 7"
    />
    <path v-if="strip.before" :d="`M0 ${MIDDLE - 3.5}l4 3.5l-4 3.5z`" class="fill-used" />
    <rect
      v-if="strip.used"
      :x="strip.used.x"
      y="7.5"
      :width="strip.used.width"
      height="7"
      class="fill-used"
    />
    <rect
      v-if="strip.idle"
      :x="strip.idle.x"
      y="7.5"
      :width="strip.idle.width"
      height="7"
      class="fill-idle"
    />
    <rect
      v-if="strip.never"
      :x="strip.never.x"
      y="8"
      :width="strip.never.width"
      height="6"
      class="fill-none stroke-rule"
      stroke-dasharray="3 3"
    />
    <line
      v-if="strip.rest"
      :x1="strip.rest.from"
      :x2="strip.rest.to"
      :y1="MIDDLE"
      :y2="MIDDLE"
      class="stroke-rule"
      stroke-width="1.6"
      :stroke-dasharray="entry.end_unknown ? '2 3' : undefined"
    />
    <path
      v-if="strip.open"
      :d="`M${axis.width - 12} 7l6 4l-6 4`"
      class="fill-none stroke-rule"
      stroke-width="1.6"
    />
    <path
      v-if="strip.close !== null"
      :d="`M${strip.close} 4v14m0 -14h-4m4 14h-4`"
      class="fill-none stroke-ink"
      stroke-width="2"
    />
    <circle
      v-for="(review, number) in strip.reviews"
      :key="number"
      :cx="review"
      :cy="MIDDLE"
      r="2.3"
      class="fill-sheet stroke-used"
      stroke-width="1.3"
    />
    <line :x1="strip.today" :x2="strip.today" y1="0" :y2="H" class="stroke-act" stroke-width="1.4" />
  </svg>
</template>
