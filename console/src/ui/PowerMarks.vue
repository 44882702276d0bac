<script setup lang="ts">
import { computed } from "vue";
import { POWERS } from "@/api/words";
import { powerMarks } from "./powers";

const props = defineProps<{
  held: readonly string[];
  used: readonly string[] | null | undefined;
  unknown?: readonly string[];
}>();
const marks = computed(() => powerMarks(props.held, props.used));
const more = computed(() =>
  props.unknown?.length ? `not known what it allows: ${props.unknown.join("; ")}` : "",
);
const label = computed(() =>
  [props.held.join(", ") || (more.value ? "" : "no power of its own"), more.value].filter(Boolean).join("; "),
);
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
    <b v-if="more" class="-mt-[4px] ml-[3px] h-[11px] text-[14px] leading-[18px] text-high" :title="more"
      >?</b
    >
  </span>
</template>
