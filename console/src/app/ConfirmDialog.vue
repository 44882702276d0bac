<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { ref, watch } from "vue";
import { useRoute } from "vue-router";
import { question } from "@/api/confirmation";
import { passkeysHere, signWithPasskey } from "@/api/passkeys";
import { useSession } from "@/api/session";
import SignOnButtons from "@/features/people/SignOnButtons.vue";
import FormField from "@/ui/FormField.vue";

const { me } = useSession();
const route = useRoute();
const password = ref("");
const code = ref("");
const by = ref<"password" | "code">("password");
const trouble = ref("");
watch(question, () => {
  password.value = "";
  code.value = "";
  trouble.value = "";
});
function answer(): void {
  question.value?.answer(by.value === "code" ? { code: code.value } : { password: password.value });
}
async function withPasskey(): Promise<void> {
  trouble.value = "";
  try {
    question.value?.answer({ passkey: await signWithPasskey(me.value?.workspace.slug ?? "") });
  } catch (reason) {
    trouble.value = (reason as Error).message;
  }
}
</script>

<template>
  <Dialog :open="!!question" class="relative z-30" @close="question?.answer(null)">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="w-full max-w-[420px] rounded-lg border border-rule bg-sheet px-7 py-6">
        <DialogTitle class="font-serif text-title">Confirm that it is you</DialogTitle>
        <p class="mt-2 text-mute">
          This needs a recent proof that you are {{ me?.person.name }}. Nothing has been changed so far.
        </p>
        <form class="mt-4" @submit.prevent="answer">
          <FormField v-if="by === 'code'" label="A code of your app, or a recovery code">
            <input
              v-model="code"
              required
              class="field w-full font-mono"
              maxlength="40"
              autocomplete="one-time-code"
              autocapitalize="none"
              spellcheck="false"
              name="code"
            />
          </FormField>
          <FormField v-else label="Your password">
            <input
              v-model="password"
              type="password"
              required
              class="field w-full"
              autocomplete="current-password"
              name="password"
            />
          </FormField>
          <p v-if="trouble || question?.wrong" class="mt-2 text-plain text-critical" role="alert">
            {{ trouble || question?.wrong }}
          </p>
          <p class="mt-2 flex gap-4 text-plain">
            <button type="button" class="link" @click="by = by === 'code' ? 'password' : 'code'">
              {{ by === "code" ? "Use your password" : "Use a code" }}
            </button>
            <button v-if="passkeysHere()" type="button" class="link" @click="withPasskey">
              Use a passkey
            </button>
          </p>
          <SignOnButtons
            class="mt-2 text-plain"
            :workspace="me?.workspace.slug ?? ''"
            :back="route.fullPath"
            again
          />
          <div class="mt-5 flex gap-[10px]">
            <button type="submit" class="button button-danger">Go on</button>
            <button type="button" class="button" @click="question?.answer(null)">Cancel</button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
