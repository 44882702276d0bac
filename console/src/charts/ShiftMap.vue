<script setup lang="ts">
import { computed, ref } from "vue";
import type { Tone } from "./reach";
import { AT, layout, type Change } from "./shifts";

/** Who would gain and who would lose something on which account: gains drawn, losses struck. */
const props = defineProps<{ changes: Change[] }>();
const map = computed(() => layout(props.changes));
const looked = ref("");
const STROKE: Record<Tone, string> = { money: "stroke-high", change: "stroke-used", look: "stroke-idle" };
const label = computed(() => map.value.lines.map((one) => one.text).join("; "));
const faded = (who: string, account: string): boolean =>
  looked.value !== "" && looked.value !== who && looked.value !== account;
</script>

<template>
  <figure>
    <svg
      :viewBox="`0 0 ${AT.width} ${map.height}`"
      class="w-full max-w-[940px]"
      role="img"
      :aria-label="label"
      @mouseleave="looked = ''"
    >
      <g
        v-for="line in map.lines"
        :key="line.key"
        class="transition-opacity"
        :class="faded(line.who, line.account) ? 'opacity-15' : ''"
      >
        <path
          :d="line.path"
          :stroke-width="line.width"
          class="fill-none"
          :class="[STROKE[line.tone], line.gains ? '' : 'opacity-45']"
          :stroke-dasharray="line.gains ? undefined : '3 5'"
        >
          <title>{{ line.text }}</title>
        </path>
        <path
          v-if="!line.gains"
          :d="`M${(AT.who + AT.account) / 2 - 7} ${middle(line.path) - 8}l14 16`"
          stroke-width="2"
          class="stroke-critical"
        />
      </g>
      <g v-for="one in map.left" :key="one.key" @mouseenter="looked = one.key">
        <text :x="AT.who - 14" :y="one.y - 1" text-anchor="end" class="fill-ink text-plain font-semibold">
          {{ one.name }}
        </text>
        <text
          :x="AT.who - 14"
          :y="one.y + 14"
          text-anchor="end"
          class="text-small"
          :class="one.outside ? 'fill-high' : 'fill-mute'"
        >
          {{ one.outside ? "outside the circle" : "in the circle" }}
        </text>
      </g>
      <g v-for="one in map.right" :key="one.key" @mouseenter="looked = one.key">
        <text :x="AT.account + 14" :y="one.y + 4" class="fill-ink text-plain font-semibold">
          {{ one.name }}
        </text>
      </g>
    </svg>
    <figcaption class="small mt-1 flex flex-wrap gap-x-6 gap-y-1">
      <span class="flex items-center gap-2"><i class="h-[6px] w-7 rounded-xs bg-used" />gained</span>
      <span class="flex items-center gap-2"
        ><i class="w-7 border-t-[3px] border-dashed border-used opacity-60" />lost</span
      >
      <span class="flex items-center gap-2"
        ><i class="h-[6px] w-7 rounded-xs bg-high" />power over money</span
      >
      <span v-if="map.more">{{ map.more }} more are not drawn</span>
    </figcaption>
  </figure>
</template>

<script lang="ts">
/** The height at which a ribbon crosses the middle between both sides. */
function middle(path: string): number {
  const numbers = path.match(/-?[\d.]+/g)?.map(Number) ?? [];
  return ((numbers[1] ?? 0) + (numbers[7] ?? 0)) / 2;
}
</script>
