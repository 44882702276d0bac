<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { moment } from "@/ui/time";
import OfferedParts from "./OfferedParts.vue";
import FormField from "@/ui/FormField.vue";

/** What a link in a letter asks. Opening it answers nothing, and it signs nobody in who does not register here. */
type Said = "yes" | "no" | "later";
const route = useRoute();
const link = computed(() => String(route.params.link));
const params = computed(() => ({ path: { link: link.value } }));
const answered = ref<Said>();
const question = useQuery({
  queryKey: computed(() => ["answers", link.value]),
  queryFn: () => take(api.GET("/answers/{link}", { params: params.value })),
  retry: false,
  refetchInterval: (query) => {
    const offer = query.state.data?.offer;
    return offer?.state === "taken-up" && offer.parts.some((part) => !part.live) ? 1500 : false;
  },
});
const asked = computed(() => question.data.value);
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
const who = reactive({ name: "", password: "" });
const reason = ref("");
const declining = ref(false);
const registers = computed(() => asked.value?.needs === "register");
const answer = useMutation({
  mutationFn: (said: Said) =>
    take(
      api.POST("/answers/{link}", {
        params: params.value,
        body: {
          agrees: said === "yes",
          later: said === "later",
          reason: said === "no" ? reason.value : "",
          register_as:
            said === "yes" && registers.value
              ? { ...who, name: who.name || asked.value?.offer?.name || "" }
              : null,
        },
      }),
    ),
  onSuccess: async (_, said) => {
    answered.value = said;
    await question.refetch();
  },
});
const signsIn = computed(() => answer.error.value instanceof Problem && answer.error.value.status === 401);
const back = computed(() => ({ path: "/sign-in", query: { back: route.fullPath } }));
const DONE: Record<string, Record<Said, string>> = {
  "hand-over": {
    yes: "You agreed. The rest happens on its own, and you will be told.",
    no: "You declined. Nothing was changed.",
    later: "",
  },
  offer: {
    yes: "You accepted. It is being set up; this page shows when it is done, and you get a letter.",
    no: "You declined. Nothing was given, and whoever offered it is told.",
    later: "Nothing has changed; use the same link again while it is valid.",
  },
  request: {
    yes: "Thank you. Your request has arrived, and you will be told the answer.",
    no: "The request was discarded.",
    later: "",
  },
};
const done = computed(() =>
  answered.value && asked.value ? DONE[asked.value.purpose]?.[answered.value] : "",
);
const over = computed(() => answered.value && answered.value !== "later");
const words = computed(() => {
  if (asked.value?.purpose === "offer") return { yes: "Accept", no: "Decline…" };
  if (asked.value?.purpose === "request") return { yes: "Yes, it was me", no: "No, it was not" };
  return { yes: "I agree", no: "I decline" };
});
function no(): void {
  if (asked.value?.purpose === "offer" && !declining.value) declining.value = true;
  else answer.mutate("no");
}
</script>

<template>
  <main class="mx-auto min-h-dvh max-w-[640px] px-6 py-12">
    <LatchMark />
    <ProblemNote v-if="question.error.value" :error="question.error.value" class="mt-10" />
    <p v-else-if="!asked" class="mt-10 text-mute" role="status">Loading…</p>
    <template v-else>
      <p class="mt-10 text-mute">
        {{ asked.asked_by }}, {{ asked.holder }}, {{ asked.offer ? "offers you access" : "asks you" }}
      </p>
      <h1 class="mt-1">
        {{
          asked.offer ? `To ${asked.offer.parts.map((one) => one.account.name).join(" and ")}` : asked.title
        }}
      </h1>
      <template v-if="asked.offer">
        <p v-if="asked.offer.basis" class="mt-3">{{ asked.offer.basis }}</p>
        <OfferedParts :offer="asked.offer" :zone="zone" class="mt-5" />
        <p class="mt-4 text-plain text-mute">
          For {{ asked.offer.name }}, <span class="font-mono">{{ asked.offer.address }}</span>
        </p>
      </template>
      <ul v-else class="mt-5 grid gap-2">
        <li v-for="one in asked.text" :key="one" class="border-l-2 border-act pl-3">{{ one }}</li>
      </ul>
      <p v-if="done" class="mt-6 font-[620]" role="status">{{ done }}</p>
      <p v-if="answered === 'yes' && asked.offer" class="mt-2">
        <RouterLink class="link" :to="registers || !signsIn ? '/mine' : back">Look at your access</RouterLink>
      </p>
      <template v-if="!over && asked.trouble && !answered">
        <p class="mt-6 font-[620] text-high">{{ asked.trouble }}</p>
        <p class="text-mute">
          {{
            asked.offer?.state === "taken-up"
              ? "The result is shown above."
              : "Ask whoever sent it to you for a new one."
          }}
        </p>
      </template>
      <form v-else-if="!over" @submit.prevent="answer.mutate('yes')">
        <p class="mt-5 text-mute">
          Nothing happens unless you answer, by {{ moment(asked.lapses_at, zone) }}. This link can be answered
          once.
        </p>
        <p v-if="asked.needs === 'sign-in' && !asked.offer" class="mt-3">
          To accept, sign in with the address that this was sent to; the letter alone is not enough.
          <RouterLink class="link" :to="back">Sign in</RouterLink>
        </p>
        <fieldset v-if="registers && !declining" class="mt-5 grid gap-3">
          <legend class="font-[620]">You do not sign in here yet: choose a password</legend>
          <p class="text-plain text-mute">
            With these you can see your access later, and give it up yourself. The letter has shown that the
            address is yours.
          </p>
          <FormField label="Your name">
            <input
              v-model="who.name"
              class="field w-full"
              maxlength="200"
              autocomplete="name"
              name="name"
              :placeholder="asked.offer?.name"
            />
          </FormField>
          <FormField label="A password of your own; four unrelated words are good">
            <input
              v-model="who.password"
              type="password"
              class="field w-full"
              maxlength="500"
              autocomplete="new-password"
              name="password"
              required
            />
          </FormField>
        </fieldset>
        <FormField v-if="declining" class="mt-5" label="Reason, for whoever offered it (optional)">
          <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
        </FormField>
        <ProblemNote v-if="answer.error.value" :error="answer.error.value" class="mt-4">
          <RouterLink v-if="signsIn && !registers" class="button mt-3 inline-block" :to="back"
            >Sign in</RouterLink
          >
        </ProblemNote>
        <div class="mt-6 flex flex-wrap gap-[10px]">
          <button
            v-if="!declining"
            type="submit"
            class="button"
            :class="asked.purpose === 'hand-over' ? 'button-danger' : 'button-act'"
            :disabled="answer.isPending.value"
          >
            {{ words.yes }}
          </button>
          <button
            v-if="asked.offer && !declining"
            type="button"
            class="button"
            :disabled="answer.isPending.value"
            @click="answer.mutate('later')"
          >
            Decide later
          </button>
          <button
            type="button"
            class="button"
            :class="declining ? 'button-danger' : ''"
            :disabled="answer.isPending.value"
            @click="no"
          >
            {{ declining ? "Decline it" : words.no }}
          </button>
          <button v-if="declining" type="button" class="button" @click="declining = false">Back</button>
        </div>
      </form>
    </template>
  </main>
</template>
