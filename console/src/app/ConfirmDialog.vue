<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { ref, watch } from "vue";
import { question } from "@/api/confirmation";
import { useSession } from "@/api/session";
import FormField from "@/ui/FormField.vue";

const { me } = useSession();
const password = ref("");
watch(question, () => (password.value = ""));
</script>

<template>
  <Dialog :open="!!question" class="relative z-30" @close="question?.answer(null)">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="w-full max-w-[420px] rounded-lg border border-rule bg-sheet px-7 py-6">
        <DialogTitle class="font-serif text-title">Is it still you?</DialogTitle>
        <p class="mt-2 text-mute">
          This needs your password, {{ me?.person.name }}, which you have not given lately. Nothing was
          changed so far.
        </p>
        <form class="mt-4" @submit.prevent="question?.answer(password)">
          <FormField label="Your password">
            <input
              v-model="password"
              type="password"
              required
              class="field w-full"
              autocomplete="current-password"
              name="password"
            />
          </FormField>
          <p v-if="question?.wrong" class="mt-2 text-plain text-critical" role="alert">
            {{ question.wrong }}
          </p>
          <div class="mt-5 flex gap-[10px]">
            <button type="submit" class="button button-danger">Go on</button>
            <button type="button" class="button" @click="question?.answer(null)">Leave it</button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
