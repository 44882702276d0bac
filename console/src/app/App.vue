<script setup lang="ts">
import { computed, onErrorCaptured, ref, watch } from "vue";
import { useRoute } from "vue-router";
import Shell from "./Shell.vue";

const route = useRoute();
const bare = computed(() => route.meta.bare === true);
/** What kept the page from being drawn: nobody is left with a blank one. */
const broken = ref("");
onErrorCaptured((error) => {
  broken.value = error instanceof Error ? error.message : String(error);
  console.error(error);
  return false;
});
watch(
  () => route.fullPath,
  () => (broken.value = ""),
);
const again = (): void => window.location.reload();
</script>

<template>
  <div
    v-if="broken"
    role="alert"
    class="fixed inset-x-0 bottom-0 z-50 flex flex-wrap items-baseline gap-x-6 gap-y-2 border-t-4 border-high bg-sheet px-6 py-4"
  >
    <p>
      <b class="font-[620]">This page cannot be shown.</b> Nothing was changed.
      <span class="small block">{{ broken }}</span>
    </p>
    <button type="button" class="button" @click="again">Load it again</button>
  </div>
  <RouterView v-if="bare" />
  <Shell v-else />
</template>
