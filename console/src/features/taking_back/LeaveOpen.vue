<script setup lang="ts">
import { ref } from "vue";

/** Says why something is left open; whoever says so sees to it. */
defineProps<{ busy: boolean }>();
const emit = defineEmits<{ leave: [reason: string] }>();
const asking = ref(false);
const reason = ref("");
</script>

<template>
  <form v-if="asking" class="mt-1 grid gap-1" @submit.prevent="emit('leave', reason)">
    <input v-model="reason" class="field w-full" aria-label="Reason why it is left open" required />
    <button type="submit" class="button justify-self-start" :disabled="busy">I take care of it</button>
  </form>
  <button v-else type="button" class="link" @click="asking = true">Leave it open…</button>
</template>
