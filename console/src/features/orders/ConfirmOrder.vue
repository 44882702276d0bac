<script setup lang="ts">
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";

/** The last lines of every order: why it is given, what went wrong, and the button that gives it. */
defineProps<{ name: string; takes: boolean; disabled: boolean; error: Error | null }>();
const reason = defineModel<string>("reason", { required: true });
const emit = defineEmits<{ order: []; again: []; cancel: [] }>();
</script>

<template>
  <FormField class="mt-4" label="Reason, for the log (optional)">
    <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
  </FormField>
  <ProblemNote v-if="error" :error="error" class="mt-5" @again="emit('again')" />
  <div class="acts">
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
