<script setup lang="ts">
import { computed } from "vue";
import { Problem } from "@/api/problem";

const props = defineProps<{ error: Error }>();
defineEmits<{ again: [] }>();
const problem = computed(() => (props.error instanceof Problem ? props.error : Problem.unreachable()));
</script>

<template>
  <div role="alert" class="border-l-4 border-high py-1 pl-4">
    <p class="font-[620]">{{ problem.title }}</p>
    <p>{{ problem.message }}</p>
    <p class="text-mute">{{ problem.next }}</p>
    <slot />
  </div>
</template>
