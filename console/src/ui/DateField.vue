<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useNow } from "./clock";
import { dayOf, example, typedDay } from "./dates";
import { written } from "./time";

/** A day: typed as whoever is signed in writes dates, or chosen in a calendar; below it written out in full. */
defineOptions({ inheritAttrs: false });
const day = defineModel<string | undefined>({ required: true });
const now = useNow();
const text = ref(typedDay(day.value ?? ""));
const field = ref<HTMLInputElement>();
const calendar = ref<HTMLInputElement>();
const wrong = computed(() => dayOf(text.value) === null);
const said = computed(() => (wrong.value ? "" : written(day.value ?? "", now.value)));

watch(day, (now_) => {
  if (dayOf(text.value) !== (now_ ?? "")) text.value = typedDay(now_ ?? "");
});
function typed(): void {
  const meant = dayOf(text.value);
  field.value?.setCustomValidity(meant === null ? `Write a day such as ${example()}.` : "");
  day.value = meant ?? "";
}
function chosen(value: string): void {
  text.value = typedDay(value);
  typed();
}
</script>

<template>
  <span class="inline-block align-top">
    <span class="relative inline-block w-full">
      <input
        ref="field"
        v-model="text"
        type="text"
        class="field w-full min-w-[150px] pr-9"
        autocomplete="off"
        spellcheck="false"
        maxlength="40"
        :placeholder="example()"
        :aria-invalid="wrong"
        v-bind="$attrs"
        @input="typed"
        @blur="day && (text = typedDay(day))"
      />
      <!-- The calendar is the browser's own; whoever types has no need of it. -->
      <input
        ref="calendar"
        type="date"
        tabindex="-1"
        aria-hidden="true"
        class="pointer-events-none absolute inset-y-0 right-0 w-8 opacity-0"
        min="1900-01-01"
        max="2899-12-31"
        :value="day"
        @change="chosen(($event.target as HTMLInputElement).value)"
      />
      <button
        type="button"
        class="absolute inset-y-0 right-0 px-[9px] text-mute"
        tabindex="-1"
        aria-label="choose in a calendar"
        :disabled="!!$attrs.disabled"
        @click="calendar?.showPicker()"
      >
        <svg viewBox="0 0 14 14" class="w-[14px]" aria-hidden="true" fill="none" stroke="currentColor">
          <path d="M1 3h12v10H1zM1 6h12M4 1v3M10 1v3" stroke-width="1.2" />
        </svg>
      </button>
    </span>
    <span v-if="wrong" class="block text-small font-semibold text-high" role="alert"
      >Write a day such as {{ example() }}.</span
    >
    <!-- The field itself says the day to whoever hears it. -->
    <span v-else-if="said" class="small block" aria-hidden="true">{{ said }}</span>
  </span>
</template>
