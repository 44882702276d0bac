<script setup lang="ts">
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "./ProblemNote.vue";

/** The frame of every list: what it is, how fresh it is, and what is written while there is nothing to show. */
defineProps<{
  title: string;
  lead: string;
  error: Error | null;
  pending: boolean;
  empty: boolean;
  nothing: string;
  hint: string;
  more?: boolean;
  moreText?: string;
  /** Nothing of it comes from readings: how old these are says nothing here. */
  own?: boolean;
  /** The one thing that begins it, where there is nothing yet: its words, and where it leads. */
  begin?: { text: string; to: string };
}>();
defineEmits<{ more: [] }>();
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" :aria-label="title">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2 pr-6">
      <div>
        <h1>{{ title }}</h1>
        <!-- Has its line before it has its words: nothing moves away under a pointer. -->
        <p class="mt-[5px] min-h-[1lh] text-mute">{{ lead }}</p>
      </div>
      <FreshnessNote v-if="!own" />
    </header>
    <slot name="filter" />
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl" />
    <p v-else-if="pending" class="mt-8 text-mute" role="status">Loading…</p>
    <div v-else-if="empty" class="mt-10 max-w-md">
      <p class="font-[620]">{{ nothing }}</p>
      <p class="text-mute">{{ hint }}</p>
      <RouterLink v-if="begin" class="button mt-3 inline-block" :to="begin.to">{{ begin.text }}</RouterLink>
      <slot name="nothing" />
    </div>
    <div
      v-else
      class="mt-4 -ml-1 min-h-0 flex-1 overflow-auto pr-6 pl-1"
      tabindex="0"
      role="region"
      :aria-label="`List: ${title}`"
    >
      <slot />
      <button v-if="more" type="button" class="button my-4" @click="$emit('more')">
        {{ moreText ?? "More" }}
      </button>
    </div>
    <slot name="panel" />
  </section>
</template>
