<script setup lang="ts">
/** What something that cannot be undone comes to, told before it is done; the first button in it does it. */
defineProps<{ does: string; busy: boolean }>();
const emit = defineEmits<{ yes: []; no: [] }>();
</script>

<template>
  <div class="max-w-2xl border-l-4 border-high py-1 pl-4">
    <slot />
    <div class="mt-3 flex gap-[10px]">
      <button type="button" class="button button-danger" :disabled="busy" @click="emit('yes')">
        {{ does }}
      </button>
      <button type="button" class="button" @click="emit('no')">Cancel</button>
    </div>
  </div>
</template>
