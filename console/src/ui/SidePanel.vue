<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from "vue";
import { useShortcuts } from "@/app/shortcuts";

defineProps<{ label: string }>();
const emit = defineEmits<{ close: [] }>();
const panel = ref<HTMLElement>();
let opener: Element | null = null;

onMounted(() => {
  opener = document.activeElement;
  panel.value?.focus();
});
onBeforeUnmount(() => {
  if (opener instanceof HTMLElement && opener.isConnected) opener.focus();
});
useShortcuts({ Escape: () => emit("close") });
</script>

<template>
  <aside
    ref="panel"
    tabindex="-1"
    :aria-label="label"
    class="fixed inset-y-0 right-0 z-10 w-[470px] max-w-full overflow-y-auto border-l border-rule bg-sheet px-[30px] py-[26px] shadow-[-18px_0_40px_oklch(0.2_0.02_260/0.08)] outline-none"
  >
    <button
      type="button"
      class="absolute top-4 right-4 px-2 text-title text-mute hover:text-ink"
      aria-label="Close"
      @click="emit('close')"
    >
      ×
    </button>
    <slot />
  </aside>
</template>
