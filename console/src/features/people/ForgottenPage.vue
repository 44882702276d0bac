<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { reactive, watch } from "vue";
import { api, take } from "@/api/client";
import FormField from "@/ui/FormField.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

/** Ask for a letter with which one chooses another password; the answer tells nobody who signs in here. */
const form = reactive({ workspace: "", address: "" });
const { data: hint } = useQuery({ queryKey: ["hint"], queryFn: () => take(api.GET("/session/hint")) });
watch(hint, (found) => (form.workspace ||= found?.workspace ?? ""), { immediate: true });
const ask = useMutation({
  mutationFn: () => take(api.POST("/session/forgotten", { body: { ...form } })),
});
</script>

<template>
  <main class="mx-auto max-w-xl px-6 py-12">
    <LatchMark />
    <h1 class="mt-10">Forgot your password?</h1>
    <template v-if="ask.isSuccess.value">
      <p class="mt-3" role="status">
        If {{ form.address }} signs in here, a letter is on its way. Its link works for an hour.
      </p>
      <RouterLink class="button mt-5 inline-block" to="/sign-in">Back to the sign-in page</RouterLink>
    </template>
    <template v-else>
      <p class="mt-3 text-mute">We send a link to your address, to choose a new one.</p>
      <form class="mt-6 grid max-w-[360px] gap-4" @submit.prevent="ask.mutate()">
        <FormField v-if="!hint?.workspace" label="Workspace">
          <input v-model="form.workspace" class="field w-full" required autocapitalize="none" />
        </FormField>
        <FormField label="Address">
          <input v-model="form.address" class="field w-full" type="email" required autocomplete="username" />
        </FormField>
        <ProblemNote v-if="ask.error.value" :error="ask.error.value" />
        <div class="flex gap-[10px]">
          <button type="submit" class="button button-act" :disabled="ask.isPending.value">
            Send the link
          </button>
          <RouterLink class="button" to="/sign-in">Cancel</RouterLink>
        </div>
      </form>
    </template>
  </main>
</template>
