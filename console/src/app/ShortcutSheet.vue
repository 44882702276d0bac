<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { computed } from "vue";
import { usePlaces } from "./places";
import { SHEET } from "./shortcuts";

const open = defineModel<boolean>("open", { required: true });
const { groups } = usePlaces();
const keys = computed<[string, string][]>(() => [
  ...SHEET,
  ...groups.value
    .flatMap((group) => group.places)
    .map((place): [string, string] => [`g ${place.key}`, `go to ${place.name}`]),
]);
</script>

<template>
  <Dialog :open="open" class="relative z-20" @close="open = false">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-4">
      <DialogPanel
        class="max-h-full w-[620px] overflow-auto rounded-lg border border-rule bg-sheet px-7 py-6"
      >
        <DialogTitle as="h2">Keyboard</DialogTitle>
        <dl class="mt-4 grid grid-cols-[90px_1fr_60px_1fr] gap-x-2 gap-y-2 max-sm:grid-cols-[90px_1fr]">
          <template v-for="[key, text] in keys" :key="key">
            <dt class="font-mono text-small text-act">{{ key }}</dt>
            <dd>{{ text }}</dd>
          </template>
        </dl>
        <button type="button" class="button mt-5" @click="open = false">Close</button>
      </DialogPanel>
    </div>
  </Dialog>
</template>
