<script setup lang="ts">
import { computed } from "vue";
import { POWERS } from "@/api/words";
import { movesMoney, powerMarks, standsApart } from "./powers";

const props = defineProps<{
  held: readonly string[];
  used: readonly string[] | null | undefined;
  unknown?: readonly string[];
}>();
const marks = computed(() => {
  const marked = powerMarks(props.held, props.used);
  return POWERS.map((power, place) => ({ power, mark: marked[place] }));
});
const more = computed(() => (props.unknown?.length ? `meaning not known: ${props.unknown.join("; ")}` : ""));
const label = computed(() =>
  [props.held.join(", ") || (more.value ? "" : "no power of its own"), more.value].filter(Boolean).join("; "),
);
</script>

<template>
  <span class="flex gap-1 forced-color-adjust-none" role="img" :aria-label="label">
    <i
      v-for="{ power, mark } in marks"
      :key="power"
      :title="mark === 'none' ? '' : mark === 'idle' ? `${power}, not used lately` : power"
      class="size-[11px] rounded-[2px]"
      :class="[
        standsApart(power) ? 'ml-[5px]' : '',
        mark === 'none' ? 'bg-blank' : '',
        mark === 'used' ? (movesMoney(power) ? 'bg-high' : 'bg-used') : '',
        mark === 'idle' ? ['border-2', movesMoney(power) ? 'border-high' : 'border-used'] : '',
      ]"
    />
    <b v-if="more" class="-mt-[4px] ml-[3px] h-[11px] text-base leading-[18px] text-high" :title="more">?</b>
  </span>
</template>
