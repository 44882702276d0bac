<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, onMounted, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import { cameBack, within } from "@/api/signOn";
import FormField from "@/ui/FormField.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

/** Where a single sign-on sends people back to: they are signed in, or have proved again who they are. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const left = cameBack();
const came = { ...route.query };
const factor = ref("");
const needsFactor = ref(false);

function text(value: unknown): string {
  return typeof value === "string" ? value : "";
}
function refused(): Problem | null {
  if (!left) {
    const detail = "Single sign-on sends you back to this page, but no sign-in was started in this browser.";
    return new Problem({ title: "No sign-in was started", detail, next: "Sign in again." }, 400);
  }
  if (came.error === undefined) return null;
  const why = /^[a-z_]{1,40}$/.test(text(came.error)) ? ` (${text(came.error)})` : "";
  const detail = `${left.name} did not say who you are${why}. Nothing was changed.`;
  return new Problem({ title: "Not signed in", detail, next: "Try again, or sign in by another way." }, 401);
}
const answer = useMutation({
  mutationFn: async () => {
    const trouble = refused();
    if (trouble || !left) throw trouble;
    const { began, browser, workspace, again } = left;
    const proof = { began, browser, state: text(came.state), code: text(came.code), issuer: text(came.iss) };
    if (again) await session.proveBySignOn(proof);
    else await session.signInBySignOn({ ...proof, workspace, factor: factor.value.trim() || null });
  },
  onSuccess: () => (left?.again ? undefined : router.replace(within(left?.back))),
  onError: (reason) => {
    factor.value = "";
    if (reason instanceof Problem && reason.code === "factor-needed") needsFactor.value = true;
  },
});
const trouble = computed(() => {
  const error = answer.error.value;
  return error instanceof Problem && error.code === "factor-needed" ? null : error;
});
onMounted(() => {
  // What came back is good once, and nobody else needs to read it in the address.
  window.history.replaceState(window.history.state, "", route.path);
  answer.mutate();
});
</script>

<template>
  <main class="mx-auto max-w-xl px-6 py-12">
    <LatchMark />
    <h1 class="mt-10">{{ left ? `Back from ${left.name}` : "Back from single sign-on" }}</h1>
    <form v-if="needsFactor" class="mt-6 grid max-w-[360px] gap-4" @submit.prevent="answer.mutate()">
      <p>{{ left?.name }} says who you are. Now a code: you have a second factor here.</p>
      <FormField label="Code" hint="What your app shows now, or a recovery code.">
        <input
          v-model="factor"
          class="field w-full font-mono"
          required
          autofocus
          maxlength="40"
          autocomplete="one-time-code"
          autocapitalize="none"
          spellcheck="false"
          name="code"
        />
      </FormField>
      <ProblemNote v-if="trouble" :error="trouble" />
      <div class="flex flex-wrap items-center gap-x-5 gap-y-3">
        <button type="submit" class="button button-act" :disabled="answer.isPending.value">Sign in</button>
        <RouterLink class="link text-plain" to="/sign-in">Start again</RouterLink>
      </div>
    </form>
    <template v-else-if="answer.isSuccess.value && left?.again">
      <p class="mt-4" role="status">
        You have confirmed who you are. What you were about to do has not happened yet.
      </p>
      <RouterLink class="button mt-5 inline-block" :to="within(left.back)">Go back and do it</RouterLink>
    </template>
    <template v-else-if="trouble">
      <ProblemNote :error="trouble" class="mt-5" />
      <p class="mt-5 flex gap-5">
        <RouterLink v-if="left?.again" class="link" :to="within(left.back)">Go back</RouterLink>
        <RouterLink v-else class="link" to="/sign-in">Sign in</RouterLink>
      </p>
    </template>
    <p v-else class="mt-4 text-mute" role="status">Signing in…</p>
  </main>
</template>
