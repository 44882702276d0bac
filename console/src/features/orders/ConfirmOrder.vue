<script setup lang="ts">
import { Problem } from "@/api/problem";
import ProblemNote from "@/ui/ProblemNote.vue";

/** The last lines of every order: why it is given, what went wrong, and the button that gives it. */
defineProps<{ name: string; takes: boolean; disabled: boolean; error: Error | null }>();
const reason = defineModel<string>("reason", { required: true });
const emit = defineEmits<{ order: []; again: []; cancel: [] }>();
</script>

<template>
  <label class="mt-4 block">
    <span class="small mb-1 block">Why, for the log (optional)</span>
    <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
  </label>
  <ProblemNote v-if="error" :error="error" class="mt-5">
    <button
      v-if="error instanceof Problem && error.code === 'changed'"
      type="button"
      class="button mt-3"
      @click="emit('again')"
    >
      Look again
    </button>
  </ProblemNote>
  <div class="mt-6 flex gap-[10px]">
    <button
      type="button"
      class="button"
      :class="takes ? 'button-danger' : 'button-act'"
      :disabled="disabled"
      @click="emit('order')"
    >
      {{ name }}
    </button>
    <button type="button" class="button" @click="emit('cancel')">Cancel</button>
  </div>
</template>
