<script setup lang="ts">
import { nextTick, ref, watch } from "vue";

/** One decision of a form: its fields while it is open; before, only what it is about; after, what was decided. */
const props = defineProps<{
  number: number;
  title: string;
  open: boolean;
  /** what was decided, in words; empty as long as nothing is */
  decided: string;
  /** whether it can be gone on to */
  reachable: boolean;
  /** what going on to it is called, before anything is decided */
  word?: string;
}>();
const emit = defineEmits<{ open: [] }>();
const heading = ref<HTMLElement>();
// Whoever goes on by keyboard or listens is taken to the fields that opened.
watch(
  () => props.open,
  async (open) => {
    if (!open) return;
    await nextTick();
    const body = heading.value?.closest("section");
    const first = body?.querySelector<HTMLElement>("[data-fields] :is(input, select, textarea)");
    (first ?? heading.value)?.focus();
  },
);
</script>

<template>
  <section class="border-t border-line py-3" :aria-current="open ? 'step' : undefined">
    <div class="flex items-baseline gap-3">
      <span
        class="w-6 shrink-0 font-serif text-title tabular-nums"
        :class="open ? 'text-act' : 'text-mute'"
        aria-hidden="true"
        >{{ number }}</span
      >
      <h2
        ref="heading"
        tabindex="-1"
        class="shrink-0 text-lead outline-none"
        :class="open || decided ? '' : 'text-mute'"
      >
        {{ title }}
      </h2>
      <template v-if="!open">
        <span class="min-w-0 flex-1 break-words text-mute">{{ decided }}</span>
        <button
          v-if="reachable"
          type="button"
          class="link shrink-0"
          :aria-label="`${decided ? 'Change' : (word ?? 'Fill in')}: ${title}`"
          @click="emit('open')"
        >
          {{ decided ? "Change" : (word ?? "Fill in") }}
        </button>
      </template>
    </div>
    <div v-if="open" class="mt-3 pl-9 max-sm:pl-0" data-fields>
      <slot />
    </div>
  </section>
</template>
