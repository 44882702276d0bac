<script setup lang="ts">
import { computed } from "vue";
import { Problem } from "@/api/problem";

/** What to press where an address comes close to a known one, and is someone else's all the same. */
const props = defineProps<{ error: Error }>();
defineEmits<{ sure: [] }>();
const near = computed(() => props.error instanceof Problem && props.error.nearMiss);
</script>

<template>
  <button v-if="near" type="button" class="button mt-3" @click="$emit('sure')">
    It is someone else: record it
  </button>
</template>
