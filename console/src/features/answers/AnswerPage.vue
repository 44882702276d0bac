<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import LatchMark from "@/ui/LatchMark.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { moment } from "@/ui/time";

/** What a link in a letter asks. Nobody is signed in here, and opening it answers nothing. */
const route = useRoute();
const link = computed(() => String(route.params.link));
const params = computed(() => ({ path: { link: link.value } }));
const answered = ref("");
const question = useQuery({
  queryKey: computed(() => ["answers", link.value]),
  queryFn: () => take(api.GET("/answers/{link}", { params: params.value })),
  retry: false,
});
const asked = computed(() => question.data.value);
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
const answer = useMutation({
  mutationFn: (agrees: boolean) =>
    take(api.POST("/answers/{link}", { params: params.value, body: { agrees } })),
  onSuccess: (_, agrees) => {
    answered.value = agrees
      ? "You agreed. What follows happens by itself, and you are told."
      : "You declined. Nothing was changed.";
  },
});
</script>

<template>
  <main class="mx-auto min-h-dvh max-w-[640px] px-6 py-12">
    <LatchMark />
    <ProblemNote v-if="question.error.value" :error="question.error.value" class="mt-10" />
    <p v-else-if="!asked" class="mt-10 text-mute" role="status">Looking…</p>
    <template v-else>
      <p class="mt-10 text-mute">{{ asked.asked_by }}, {{ asked.holder }}, asks you</p>
      <h1 class="mt-1">{{ asked.title }}</h1>
      <ul class="mt-5 grid gap-2">
        <li v-for="one in asked.text" :key="one" class="border-l-2 border-act pl-3">{{ one }}</li>
      </ul>
      <p v-if="answered" class="mt-6 font-[620]" role="status">{{ answered }}</p>
      <template v-else-if="asked.trouble">
        <p class="mt-6 font-[620] text-high">{{ asked.trouble }}</p>
        <p class="text-mute">Ask whoever sent it to you for a new one.</p>
      </template>
      <template v-else>
        <p class="mt-5 text-mute">
          Nothing happens unless you answer, by {{ moment(asked.lapses_at, zone) }}. This link can be answered
          once.
        </p>
        <ProblemNote v-if="answer.error.value" :error="answer.error.value" class="mt-4" />
        <div class="mt-6 flex gap-[10px]">
          <button
            type="button"
            class="button button-danger"
            :disabled="answer.isPending.value"
            @click="answer.mutate(true)"
          >
            I agree
          </button>
          <button
            type="button"
            class="button"
            :disabled="answer.isPending.value"
            @click="answer.mutate(false)"
          >
            I decline
          </button>
        </div>
      </template>
    </template>
  </main>
</template>
