<script setup lang="ts">
import { computed } from "vue";
import { Problem } from "@/api/problem";

/** What went wrong; where it has changed since you looked and the page can load it again, with a button for that. */
const props = defineProps<{ error: Error; onAgain?: () => void }>();
const problem = computed(() => (props.error instanceof Problem ? props.error : Problem.unreachable()));
</script>

<template>
  <div role="alert" class="border-l-4 border-high py-1 pl-4">
    <p class="font-[620]">{{ problem.title }}</p>
    <p>{{ problem.message }}</p>
    <p class="text-mute">{{ problem.next }}</p>
    <button v-if="onAgain && problem.code === 'changed'" type="button" class="button mt-3" @click="onAgain()">
      Look again
    </button>
    <slot />
  </div>
</template>
