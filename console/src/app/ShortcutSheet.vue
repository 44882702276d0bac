<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { SHEET } from "./shortcuts";

const open = defineModel<boolean>("open", { required: true });
</script>

<template>
  <Dialog :open="open" class="relative z-20" @close="open = false">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-4">
      <DialogPanel class="w-[380px] rounded-lg border border-rule bg-sheet px-7 py-6">
        <DialogTitle as="h2">Keyboard</DialogTitle>
        <dl class="mt-4 grid grid-cols-[90px_1fr] gap-y-2">
          <template v-for="[key, text] in SHEET" :key="key">
            <dt class="font-mono text-small text-act">{{ key }}</dt>
            <dd>{{ text }}</dd>
          </template>
        </dl>
        <button type="button" class="button mt-5" @click="open = false">Close</button>
      </DialogPanel>
    </div>
  </Dialog>
</template>
