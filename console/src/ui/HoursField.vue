<script setup lang="ts">
import { computed, ref, useId } from "vue";
import { DAYS, full, read, written } from "./hours";

/** Hours of the week, typed or drawn on a week; both are the same text. */
const text = defineModel<string>({ required: true });
defineProps<{ label: string; disabled?: boolean }>();
const id = useId();
const drawn = ref(false);
const marked = computed(() => read(text.value));

/** What a stroke does to the hours that it passes: it marks them, or takes them out, as it did to its first. */
const stroke = ref<boolean | null>(null);
function set(hour: number, on: boolean): void {
  const week = new Set(marked.value ?? []);
  if (on) week.add(hour);
  else week.delete(hour);
  text.value = written(week);
}
function begin(hour: number): void {
  stroke.value = !marked.value?.has(hour);
  set(hour, stroke.value);
}
function pass(hour: number, buttons: number): void {
  if (stroke.value !== null && buttons === 1) set(hour, stroke.value);
  else stroke.value = null;
}
/** One hour at a time is reached by tabbing; arrows go on from there. */
const at = ref(0);
const cells = ref<HTMLElement[]>([]);
function go(event: KeyboardEvent): void {
  const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -24, ArrowDown: 24 };
  const step = steps[event.key];
  if (step !== undefined) {
    event.preventDefault();
    at.value = (at.value + step + 168) % 168;
    cells.value[at.value]?.focus();
  } else if (event.key === " " || event.key === "Enter") {
    event.preventDefault();
    set(at.value, !marked.value?.has(at.value));
  }
}
const NAMES = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const nameOf = (hour: number): string => `${NAMES[Math.floor(hour / 24)]} ${full(hour % 24)}`;
</script>

<template>
  <div>
    <label :for="id" class="small mb-1 block">{{ label }}</label>
    <div class="flex flex-wrap items-center gap-3">
      <input
        :id="id"
        v-model="text"
        class="field min-w-[200px] flex-1"
        placeholder="tue,fri 19:00-04:00"
        maxlength="400"
        autocomplete="off"
        :disabled="disabled"
      />
      <button
        type="button"
        class="link text-plain"
        :aria-expanded="drawn"
        :disabled="disabled"
        @click="drawn = !drawn"
      >
        {{ drawn ? "Close the week" : "Draw them" }}
      </button>
    </div>
    <template v-if="drawn && !disabled">
      <p v-if="!marked" class="small mt-2" role="status">
        This cannot be drawn: a week is drawn by full hours. It is used as you typed it.
      </p>
      <div
        v-else
        role="grid"
        :aria-label="`${label}, drawn`"
        class="mt-2 max-w-[520px] forced-color-adjust-none select-none"
        @keydown="go"
        @pointerleave="stroke = null"
        @pointerup="stroke = null"
      >
        <div class="grid grid-cols-[34px_repeat(24,minmax(0,1fr))] text-mini text-mute" aria-hidden="true">
          <span></span>
          <span v-for="hour in 24" :key="hour">{{ (hour - 1) % 6 ? "" : hour - 1 }}</span>
        </div>
        <div
          v-for="(day, row) in DAYS"
          :key="day"
          role="row"
          class="grid grid-cols-[34px_repeat(24,minmax(0,1fr))] items-center"
        >
          <span role="rowheader" class="text-mini text-mute">{{ day }}</span>
          <span
            v-for="hour in 24"
            :ref="(cell) => (cells[row * 24 + hour - 1] = cell as HTMLElement)"
            :key="hour"
            role="gridcell"
            :tabindex="at === row * 24 + hour - 1 ? 0 : -1"
            :aria-selected="marked.has(row * 24 + hour - 1)"
            :aria-label="nameOf(row * 24 + hour - 1)"
            class="h-[18px] cursor-pointer border border-line"
            :class="[
              marked.has(row * 24 + hour - 1) ? 'bg-act' : 'hover:bg-line',
              (hour - 1) % 6 ? '' : 'border-l-mute',
            ]"
            @pointerdown.prevent="begin(row * 24 + hour - 1)"
            @pointerenter="pass(row * 24 + hour - 1, $event.buttons)"
            @focus="at = row * 24 + hour - 1"
          ></span>
        </div>
        <p class="small mt-1">Draw over hours to mark them, and again to take them out.</p>
      </div>
    </template>
  </div>
</template>
