<script setup lang="ts">
import { computed } from "vue";
import type { Review } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import { day, format } from "@/ui/time";
import { inYear } from "./decisions";

/** The coming year: a line for each review, a mark for each time that it takes place. */
const props = defineProps<{ reviews: Review[] }>();
const { zone } = useSession();
const now = useNow();
const YEAR = 365 * 86_400_000;
const months = computed(() => {
  const from = new Date(now.value);
  return Array.from({ length: 12 }, (_, n) => {
    const first = Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + 1 + n, 1);
    return {
      x: (first - now.value) / YEAR,
      text: format(zone.value, { month: "short" }).format(first),
    };
  }).filter((month) => month.x < 0.97);
});
const lines = computed(() =>
  props.reviews
    .map((review) => ({ review, marks: inYear(review, now.value) }))
    .filter((line) => line.marks.length),
);
</script>

<template>
  <div class="max-w-4xl" role="img" aria-label="When reviews take place in the coming year">
    <div class="ml-[250px] max-sm:ml-[120px]">
      <div class="relative h-5 text-mini text-mute">
        <span
          v-for="month in months"
          :key="month.x"
          class="absolute max-sm:odd:hidden"
          :style="{ left: `${month.x * 100}%` }"
          >{{ month.text }}</span
        >
      </div>
    </div>
    <div v-for="line in lines" :key="line.review.id" class="flex items-center border-t border-line">
      <span class="w-[250px] shrink-0 py-[5px] pr-3 text-plain break-words max-sm:w-[120px]">{{
        line.review.name
      }}</span>
      <div class="relative h-[22px] flex-1 forced-color-adjust-none">
        <i
          v-for="month in months"
          :key="month.x"
          class="absolute inset-y-0 w-px bg-line"
          :style="{ left: `${month.x * 100}%` }"
        />
        <i
          v-for="mark in line.marks"
          :key="mark.at"
          class="absolute top-[6px] size-[10px] -translate-x-1/2 rotate-45 bg-act"
          :style="{ left: `${mark.x * 100}%` }"
          :title="`${line.review.name}: ${day(mark.at, zone)}`"
        />
      </div>
    </div>
  </div>
</template>
