<script setup lang="ts">
/** A few choices beside each other, of which one holds: by its value, with its words. */
defineProps<{
  label: string;
  choices: readonly (readonly [value: string, text: string])[];
  chosen: string;
  /** Values that cannot be chosen now. */
  without?: readonly string[];
}>();
defineEmits<{ choose: [string] }>();
</script>

<template>
  <div class="flex flex-wrap gap-1 text-plain" role="group" :aria-label="label">
    <button
      v-for="[value, text] in choices"
      :key="value"
      type="button"
      class="rounded-md px-[10px] py-[6px] enabled:hover:bg-wash disabled:text-mute"
      :class="value === chosen ? 'bg-wash font-semibold' : 'text-act'"
      :aria-pressed="value === chosen"
      :disabled="without?.includes(value)"
      @click="$emit('choose', value)"
    >
      {{ text }}
    </button>
  </div>
</template>
