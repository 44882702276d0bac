<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import AskFields, { type Asked } from "@/features/letting_in/AskFields.vue";
import FormField from "@/ui/FormField.vue";

/** Asking for access from outside, without signing in: it counts once whoever has the address says so. */
const form = reactive({
  workspace: "",
  name: "",
  address: "",
});
const asked = ref<Asked>({ account: "", needs: [], reason: "", until: "" });
const hint = useQuery({
  queryKey: ["session", "hint"],
  queryFn: () => take(api.GET("/session/hint")),
});
watch(
  () => hint.data.value,
  (found) => (form.workspace ||= found?.workspace ?? ""),
  { immediate: true },
);
const ask = useMutation({
  mutationFn: () =>
    take(
      api.POST("/asking", { body: { ...form, ...asked.value, level: "", until: asked.value.until || null } }),
    ),
});
const done = ask.data;
</script>

<template>
  <main class="mx-auto min-h-dvh max-w-[640px] px-6 py-12">
    <LatchMark />
    <h1 class="mt-10">Ask for access</h1>
    <template v-if="done">
      <p class="mt-4 font-[620]" role="status">A letter is on its way to {{ done.address }}.</p>
      <p class="text-mute">
        Confirm by the link in it that it was you. Then your request reaches {{ done.holder }}, and you will
        be told the answer.
      </p>
    </template>
    <form v-else class="mt-5 grid gap-4" @submit.prevent="ask.mutate()">
      <p class="text-mute">
        {{ hint.data.value?.name ?? "Whoever manages the account" }} decides. They see who you are, what you
        need and what for.
      </p>
      <FormField v-if="!hint.data.value?.workspace" label="Whose account: the short name of their workspace">
        <input v-model="form.workspace" class="field w-full" required maxlength="200" />
      </FormField>
      <div class="grid grid-cols-2 gap-3">
        <FormField label="Your name">
          <input
            v-model="form.name"
            class="field w-full"
            required
            maxlength="200"
            autocomplete="name"
            name="name"
          />
        </FormField>
        <FormField label="Your address">
          <input
            v-model="form.address"
            class="field w-full"
            required
            maxlength="320"
            autocapitalize="none"
            autocomplete="email"
            name="address"
          />
        </FormField>
      </div>
      <AskFields v-model="asked" />
      <ProblemNote v-if="ask.error.value" :error="ask.error.value" />
      <button
        type="submit"
        class="button button-act justify-self-start"
        :disabled="ask.isPending.value || !asked.needs.length"
      >
        Send the request
      </button>
    </form>
  </main>
</template>
