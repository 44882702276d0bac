<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import FormField from "@/ui/FormField.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { moment } from "@/ui/time";

/** What a link of a letter about signing in leads to. It is used only by pressing the button, and once. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const link = computed(() => decodeURIComponent(route.hash.slice(1)));
const found = useQuery({
  queryKey: computed(() => ["link", link.value]),
  queryFn: () => take(api.POST("/session/link", { body: { link: link.value } })),
  retry: false,
  staleTime: Infinity,
});
const it = computed(() => found.data.value);
const form = reactive({ name: "", password: "" });
watch(it, (now) => (form.name ||= now?.name ?? ""), { immediate: true });
const confirmed = ref(false);
const use = useMutation({
  mutationFn: () =>
    take(
      api.POST("/session/link/use", {
        body: { link: link.value, name: form.name || null, password: form.password || null },
      }),
    ),
  onSuccess: async (was) => {
    if (was.purpose === "address") {
      confirmed.value = true;
      return;
    }
    if (!was.signed_in) {
      await router.replace("/sign-in");
      return;
    }
    await session.refetch();
    await router.replace("/");
  },
});
const TITLE = {
  invitation: "You are invited",
  password: "Choose a new password",
  address: "Confirm your new address",
} as const;
const BUTTON = {
  invitation: "Accept and sign in",
  password: "Set the password and sign in",
  address: "Confirm the address",
} as const;
</script>

<template>
  <main class="mx-auto max-w-xl px-6 py-12">
    <LatchMark />
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-10" />
    <p v-else-if="!it" class="mt-10 text-mute" role="status">Loading…</p>
    <template v-else-if="confirmed">
      <h1 class="mt-10">Confirmed</h1>
      <p class="mt-3" role="status">From now on you sign in with {{ it.address }}.</p>
      <RouterLink class="button mt-5 inline-block" to="/">Go on</RouterLink>
    </template>
    <template v-else>
      <h1 class="mt-10">{{ TITLE[it.purpose] }}</h1>
      <p v-if="it.purpose === 'invitation'" class="mt-3">
        to sign in to Open Latch for <b class="font-[620]">{{ it.holder }}</b>, as {{ it.role }}, with
        {{ it.address }}.
      </p>
      <p v-else-if="it.purpose === 'password'" class="mt-3">
        for {{ it.address }} at <b class="font-[620]">{{ it.holder }}</b>. Every session and token that you
        have there ends.
      </p>
      <p v-else class="mt-3">
        You will sign in to <b class="font-[620]">{{ it.holder }}</b> with {{ it.address }}.
      </p>
      <div v-if="it.trouble" role="alert" class="mt-6 border-l-4 border-high py-1 pl-4">
        <p class="font-[620]">{{ it.trouble }}</p>
        <p class="text-mute">
          {{
            it.purpose === "password"
              ? "Ask for a new one on the sign-in page."
              : "Ask whoever sent it to you for a new one."
          }}
        </p>
        <RouterLink class="button mt-3 inline-block" to="/sign-in">To the sign-in page</RouterLink>
      </div>
      <form v-else class="mt-6 grid max-w-[360px] gap-4" @submit.prevent="use.mutate()">
        <FormField v-if="it.purpose === 'invitation'" label="Your name, as others see it">
          <input
            v-model="form.name"
            class="field w-full"
            required
            maxlength="200"
            autocomplete="name"
            name="name"
          />
        </FormField>
        <FormField
          v-if="it.purpose !== 'address'"
          label="Password"
          hint="At least 12 characters; four unrelated words are good."
        >
          <input
            v-model="form.password"
            class="field w-full"
            type="password"
            required
            minlength="12"
            maxlength="500"
            autocomplete="new-password"
            name="password"
          />
        </FormField>
        <ProblemNote v-if="use.error.value" :error="use.error.value" />
        <div>
          <button type="submit" class="button button-act" :disabled="use.isPending.value">
            {{ BUTTON[it.purpose] }}
          </button>
        </div>
        <p class="small">This link works until {{ moment(it.lapses_at, it.zone) }} ({{ it.zone }}).</p>
      </form>
    </template>
  </main>
</template>
