<script setup lang="ts">
import { computed, ref } from "vue";
import { layout, X, type Ribbon, type Step, type Tone } from "./reach";

const props = defineProps<{ name: string; sub: string; steps: Step[] }>();
const map = computed(() => layout(props.steps));
const looked = ref<{ way?: string; account?: string }>({});

const STROKE: Record<Tone, string> = { money: "stroke-high", change: "stroke-used", look: "stroke-idle" };
function faded(ribbon: Ribbon): boolean {
  const { way, account } = looked.value;
  if (way !== undefined) return ribbon.way !== way;
  if (account === undefined) return false;
  if (ribbon.account) return ribbon.account !== account;
  return !map.value.right.some((one) => one.account === account && one.way === ribbon.way);
}
const label = computed(() =>
  props.steps
    .map((step) => `${step.way?.name ?? "directly"} to ${step.account.name}: ${step.powers.join(", ")}`)
    .join("; "),
);
</script>

<template>
  <figure>
    <svg
      :viewBox="`0 0 940 ${map.height}`"
      class="w-full max-w-[1060px]"
      role="img"
      :aria-label="`What ${name} can do: ${label}`"
      @mouseleave="looked = {}"
    >
      <path
        v-for="ribbon in map.left"
        :key="`left ${ribbon.key}`"
        :d="ribbon.path"
        :stroke-width="ribbon.width"
        class="fill-none stroke-idle transition-opacity"
        :class="faded(ribbon) ? 'opacity-15' : 'opacity-60'"
        @mouseenter="looked = { way: ribbon.way }"
      />
      <path
        v-for="ribbon in map.right"
        :key="ribbon.key"
        :d="ribbon.path"
        :stroke-width="ribbon.width"
        class="fill-none transition-opacity"
        :class="[STROKE[ribbon.tone], faded(ribbon) ? 'opacity-15' : 'opacity-85']"
        @mouseenter="looked = { way: ribbon.way }"
      />
      <text x="0" :y="map.start - 4" class="fill-ink font-serif text-title font-medium">{{ name }}</text>
      <text x="0" :y="map.start + 16" class="fill-mute text-small">{{ sub }}</text>
      <g v-for="way in map.ways" :key="way.key" @mouseenter="looked = { way: way.key }">
        <text :x="X.wayLeft + 9" :y="way.y + (way.sub ? -1 : 4)" class="fill-ink text-plain font-semibold">
          {{ way.name }}
        </text>
        <text :x="X.wayLeft + 9" :y="way.y + 15" class="fill-mute text-small">{{ way.sub }}</text>
      </g>
      <g v-for="account in map.accounts" :key="account.key" @mouseenter="looked = { account: account.key }">
        <text :x="X.account + 12" :y="account.y - 1" class="fill-ink text-plain font-semibold">
          {{ account.name }}
        </text>
        <text :x="X.account + 12" :y="account.y + 15" class="fill-mute text-small">{{ account.sub }}</text>
      </g>
    </svg>
    <figcaption class="small mt-1 flex flex-wrap gap-x-6 gap-y-1">
      <span class="flex items-center gap-2"
        ><i class="h-2 w-6 rounded-xs bg-used" />edit, publish, admit, own</span
      >
      <span class="flex items-center gap-2"><i class="h-2 w-6 rounded-xs bg-high" />spend, withdraw</span>
      <span class="flex items-center gap-2"><i class="h-2 w-6 rounded-xs bg-idle" />view, export</span>
    </figcaption>
  </figure>
</template>
