<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { passkeysHere } from "@/api/passkeys";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import { within } from "@/api/signOn";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";
import SignOnButtons from "./SignOnButtons.vue";

const route = useRoute();
const router = useRouter();
const session = useSession();
const workspace = ref("");
const named = ref("");
const address = ref("");
const password = ref("");
const code = ref("");
/** The password is right, and a second factor is needed beside it. */
const needsCode = ref(false);
const error = ref<Error>();
const busy = ref(false);

const { data: hint, isFetching: looking } = useQuery({
  queryKey: ["hint"],
  queryFn: () => take(api.GET("/session/hint")),
});
/** Whether it is known what has to be typed: no field comes or goes under someone's hands. */
const ready = ref(false);
watch(looking, (now) => (ready.value ||= !now), { immediate: true });
/** Someone who is signed in already acts for another holder as well: that one has to be named. */
const more = computed(() => route.query.more === "yes");
/** The workspace once its name was typed to the end. */
const settled = computed(() => (more.value || !hint.value?.workspace ? named.value.trim() : workspace.value));
watch(
  hint,
  (found) => {
    if (found && !found.founded) void router.replace("/found");
    if (!more.value) workspace.value ||= found?.workspace ?? "";
  },
  { immediate: true },
);

/** Too many people sign in at one moment: it will be tried again automatically, a few times. */
const waiting = ref(false);
async function patiently(how: () => Promise<void>): Promise<void> {
  for (let left = 5; ; left -= 1) {
    try {
      return await how();
    } catch (reason) {
      if (!(reason instanceof Problem) || reason.code !== "busy" || left === 0) throw reason;
      waiting.value = true;
      await new Promise((done) => setTimeout(done, 2000));
    }
  }
}
async function go(how: () => Promise<void>): Promise<void> {
  busy.value = true;
  error.value = undefined;
  try {
    await patiently(how);
    await router.replace(within(route.query.back));
  } catch (reason) {
    code.value = "";
    if (reason instanceof Problem && reason.code === "factor-needed") {
      needsCode.value = true;
      return;
    }
    error.value = reason as Error;
    if (!needsCode.value) password.value = "";
  } finally {
    waiting.value = false;
    busy.value = false;
  }
}
const submit = (): Promise<void> =>
  go(() => session.signIn(workspace.value, address.value, password.value, code.value));
const byPasskey = (): Promise<void> => go(() => session.signInWithPasskey(workspace.value));
function startAgain(): void {
  needsCode.value = false;
  password.value = "";
  error.value = undefined;
}
</script>

<template>
  <main class="grid min-h-dvh grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] max-md:grid-cols-1">
    <section class="flex flex-col justify-center px-[max(8%,28px)] py-10">
      <LatchMark />
      <h1 class="mt-10">
        {{ more ? "Sign in to another workspace" : `Sign in${hint?.name ? ` to ${hint.name}` : ""}` }}
      </h1>
      <form v-if="needsCode" class="mt-6 grid max-w-[360px] gap-4" @submit.prevent="submit">
        <p>
          Your password is correct. Now a code, or your passkey: <b class="font-[620]">{{ address }}</b> has a
          second factor.
        </p>
        <FormField label="Code" hint="What your app shows now, or a recovery code.">
          <input
            v-model="code"
            class="field w-full font-mono"
            required
            autofocus
            maxlength="40"
            inputmode="text"
            autocomplete="one-time-code"
            autocapitalize="none"
            spellcheck="false"
            name="code"
          />
        </FormField>
        <ProblemNote v-if="error" :error="error" />
        <p v-if="waiting" role="status">
          Many people are signing in right now. Yours is tried again in a moment.
        </p>
        <div class="flex flex-wrap items-center gap-x-5 gap-y-3">
          <button type="submit" class="button button-act" :disabled="busy">Sign in</button>
          <button v-if="passkeysHere()" type="button" class="button" :disabled="busy" @click="byPasskey">
            Use a passkey
          </button>
          <button type="button" class="link text-plain" @click="startAgain">Start again</button>
        </div>
      </form>
      <form v-else-if="ready" class="mt-6 grid max-w-[360px] gap-4" @submit.prevent="submit">
        <FormField v-if="more || !hint?.workspace" label="Workspace">
          <input
            v-model="workspace"
            class="field w-full"
            required
            autocomplete="organization"
            autocapitalize="none"
            @change="named = workspace"
          />
        </FormField>
        <FormField label="Address">
          <input v-model="address" class="field w-full" type="email" required autocomplete="username" />
        </FormField>
        <FormField label="Password">
          <input
            v-model="password"
            class="field w-full"
            type="password"
            required
            autocomplete="current-password"
          />
        </FormField>
        <ProblemNote v-if="error" :error="error" />
        <p v-if="waiting" role="status">
          Many people are signing in right now. Yours is tried again in a moment.
        </p>
        <div class="flex flex-wrap items-center gap-x-5 gap-y-3">
          <button type="submit" class="button button-act" :disabled="busy">Sign in</button>
          <button
            v-if="passkeysHere()"
            type="button"
            class="button"
            :disabled="busy || !workspace"
            @click="byPasskey"
          >
            Use a passkey
          </button>
          <RouterLink class="link text-plain" to="/forgotten">Forgot your password?</RouterLink>
        </div>
        <SignOnButtons :workspace="settled" :back="within(route.query.back)" />
      </form>
    </section>
    <section class="flex flex-col justify-center border-l border-line bg-sheet px-[9%] max-md:hidden">
      <p class="font-serif text-figure leading-[1.3] text-balance">
        Who can use your shared accounts, what is stale or risky, and taking it back with proof.
      </p>
      <svg class="mt-9 max-w-[440px]" viewBox="0 0 440 96" aria-hidden="true">
        <line x1="330" x2="330" y1="0" y2="96" class="stroke-act" stroke-width="1.4" />
        <rect x="8" y="9" width="322" height="7" class="fill-used" />
        <rect x="62" y="35" width="120" height="7" class="fill-used" />
        <rect x="182" y="35" width="148" height="7" class="fill-idle" />
        <rect x="140" y="61" width="190" height="6" class="fill-none stroke-rule" stroke-dasharray="3 3" />
        <rect x="200" y="87" width="130" height="7" class="fill-used" />
        <path d="M330 12.5h104M330 38.5h104M330 64h104" class="stroke-rule" stroke-width="1.6" />
        <path
          d="M428 8.500l6 4l-6 4M428 34.500l6 4l-6 4M428 60l6 4l-6 4"
          class="fill-none stroke-rule"
          stroke-width="1.6"
        />
        <path
          d="M330 90.500h46M376 83.500v14m0 -14h-4m4 14h-4"
          class="fill-none stroke-ink"
          stroke-width="2"
        />
      </svg>
    </section>
  </main>
</template>
