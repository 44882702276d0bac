<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import FormField from "@/ui/FormField.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

/** The first workspace of a service, for whoever has the code that it printed when it was started. */
const router = useRouter();
const session = useSession();
const form = reactive({
  code: "",
  name: "",
  workspace: "",
  owner: "",
  address: "",
  password: "",
  zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  domains: "",
});
const zones = ["UTC", ...Intl.supportedValuesOf("timeZone")];
/** What follows from something else that is typed, until someone types it themselves. */
const own = reactive({ workspace: false, domains: false });
watch(
  () => form.name,
  (name) => {
    if (own.workspace) return;
    const plain = name.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
    form.workspace = plain.replace(/[^a-z0-9]+/g, "-").replace(/^-+|-+$/g, "");
  },
);
watch(
  () => form.address,
  (address) => {
    if (!own.domains) form.domains = address.includes("@") ? address.slice(address.lastIndexOf("@") + 1) : "";
  },
);
const error = ref<Error>();
const busy = ref(false);
const problems = computed<Record<string, string | undefined>>(() =>
  error.value instanceof Problem
    ? Object.fromEntries(error.value.errors.map((one) => [one.at, one.problem]))
    : {},
);
async function found(): Promise<void> {
  busy.value = true;
  error.value = undefined;
  const { domains, ...rest } = form;
  try {
    await session.found({ ...rest, circle: domains.split(/[\s,;]+/).filter(Boolean) });
    await router.replace("/");
  } catch (reason) {
    error.value = reason as Error;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <main class="mx-auto max-w-2xl px-6 py-12">
    <LatchMark />
    <h1 class="mt-10">Found your workspace</h1>
    <p class="mt-3 text-mute">
      A workspace holds the shared accounts of one holder: an organisation, a club, a household. You become
      its owner, and invite the others.
    </p>
    <form class="mt-6 grid grid-cols-2 gap-x-6 gap-y-5 max-sm:grid-cols-1" @submit.prevent="found">
      <FormField
        class="col-span-full max-w-[360px]"
        label="Code"
        hint="It was printed where the service was started: openlatch service serve."
        :problem="problems.code"
      >
        <input
          v-model="form.code"
          class="field w-full font-mono"
          required
          autofocus
          maxlength="40"
          autocomplete="off"
          autocapitalize="characters"
          spellcheck="false"
          name="code"
        />
      </FormField>
      <FormField label="Name of the holder" :problem="problems.name">
        <input
          v-model="form.name"
          class="field w-full"
          required
          maxlength="200"
          autocomplete="organization"
        />
      </FormField>
      <FormField
        label="Short name"
        hint="For signing in and on the command line: small letters, digits and hyphens."
        :problem="problems.workspace"
      >
        <input
          v-model="form.workspace"
          class="field w-full font-mono"
          required
          maxlength="200"
          autocomplete="off"
          autocapitalize="none"
          spellcheck="false"
          @input="own.workspace = true"
        />
      </FormField>
      <FormField label="Your name" :problem="problems.owner">
        <input v-model="form.owner" class="field w-full" required maxlength="200" autocomplete="name" />
      </FormField>
      <FormField label="Your address" :problem="problems.address">
        <input
          v-model="form.address"
          class="field w-full"
          type="email"
          required
          maxlength="200"
          autocomplete="username"
        />
      </FormField>
      <FormField
        label="Password"
        hint="At least 12 characters: four words that do not belong together are good."
        :problem="problems.password"
      >
        <input
          v-model="form.password"
          class="field w-full"
          type="password"
          required
          minlength="12"
          maxlength="500"
          autocomplete="new-password"
        />
      </FormField>
      <FormField label="Time zone" hint="In which days begin and end." :problem="problems.zone">
        <input v-model="form.zone" class="field w-full" required list="zones" />
        <datalist id="zones"><option v-for="zone in zones" :key="zone" :value="zone" /></datalist>
      </FormField>
      <FormField
        class="col-span-full"
        label="Domains of your own"
        hint="Whoever has an address there counts as one of you; all others are flagged as outside where that matters. Leave it empty if your people use addresses of their own."
        :problem="problems.circle"
      >
        <input
          v-model="form.domains"
          class="field w-full"
          maxlength="2000"
          autocomplete="off"
          autocapitalize="none"
          spellcheck="false"
          @input="own.domains = true"
        />
      </FormField>
      <ProblemNote v-if="error" :error="error" class="col-span-full" />
      <div class="col-span-full flex items-center gap-4">
        <button type="submit" class="button button-act" :disabled="busy">Found the workspace</button>
        <RouterLink class="link text-plain" to="/sign-in">Sign in instead</RouterLink>
      </div>
    </form>
  </main>
</template>
