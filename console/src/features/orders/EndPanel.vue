<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take, type Entry } from "@/api/client";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import type { Severity } from "@/ui/notch";
import { ago, day } from "@/ui/time";
import { useNow } from "@/ui/clock";

const props = defineProps<{ entry: Entry; action: "end" | "give-up" }>();
const emit = defineEmits<{ back: []; ordered: [] }>();
const { zone } = useSession();
const queries = useQueryClient();
const now = useNow();
const reason = ref("");

const GRAVITY: Record<Severity, string> = {
  low: "bg-low",
  medium: "bg-medium",
  high: "bg-high",
  critical: "bg-critical",
};
const params = { path: { entry: props.entry.ref }, query: { action: props.action } };
const WORDS = {
  end: {
    title: `End access for ${props.entry.party.name}`,
    act: "End access",
    keep: "Keep it",
    command: "end",
  },
  "give-up": {
    title: `Give up your access to ${props.entry.account.name}`,
    act: "Give it up",
    keep: "Keep it",
    command: "give-up",
  },
}[props.action];
const {
  data: plan,
  error,
  refetch,
} = useQuery({
  queryKey: ["plan", props.entry.ref, props.action],
  queryFn: () => take(api.GET("/entries/{entry}/plan", { params })),
  staleTime: 0,
});
const order = useMutation({
  mutationFn: () =>
    take(
      api.POST("/orders", {
        body: {
          entry: props.entry.ref,
          action: props.action,
          reason: reason.value,
          digest: plan.value?.digest ?? null,
        },
      }),
    ),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["orders"] });
    emit("ordered");
  },
});
function lookAgain(): void {
  order.reset();
  void refetch();
}
</script>

<template>
  <div>
    <p class="small">Entry {{ entry.ref }}</p>
    <h2 class="mt-2 pr-6">{{ WORDS.title }}?</h2>
    <p class="mt-2 text-mute">
      {{ entry.level }} on <b class="font-[620] text-ink">{{ entry.account.name }}</b>,
      {{ entry.provider.name }}. {{ entry.party.addresses.join(", ") }}.
      <template v-if="entry.last_used">
        Last used {{ day(entry.last_used, zone) }}, {{ ago(entry.last_used, now) }}.
      </template>
      <template v-else-if="entry.use_known">Never used.</template>
    </p>
    <ProblemNote v-if="error" :error="error" class="mt-6">
      <button type="button" class="button mt-3" @click="emit('back')">Back</button>
    </ProblemNote>
    <p v-else-if="!plan" class="mt-6 text-mute" role="status">Working out what would happen…</p>
    <template v-else>
      <h3 class="section">What happens</h3>
      <ol>
        <li
          v-for="one in plan.consequences"
          :key="one.kind + one.text"
          class="mb-3 flex gap-3 leading-[1.42]"
        >
          <span
            class="w-[5px] shrink-0 rounded-[1px]"
            :class="GRAVITY[one.severity]"
            role="img"
            :aria-label="one.severity"
          />
          <span>{{ one.text }}</span>
        </li>
      </ol>
      <h3 class="section">How it will be done</h3>
      <ol>
        <li
          v-for="(step, place) in plan.steps"
          :key="step.call"
          class="mb-[9px] flex gap-[14px] leading-[1.42]"
        >
          <span class="font-serif text-[16px] leading-[1.2] font-medium text-act" aria-hidden="true">{{
            place + 1
          }}</span>
          <span>{{ step.text }}</span>
        </li>
      </ol>
      <label class="mt-4 block">
        <span class="small mb-1 block">Why, for the log (may stay empty)</span>
        <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" />
      </label>
      <ProblemNote v-if="order.error.value" :error="order.error.value" class="mt-5">
        <button
          v-if="order.error.value instanceof Problem && order.error.value.code === 'changed'"
          type="button"
          class="button mt-3"
          @click="lookAgain"
        >
          Look again
        </button>
      </ProblemNote>
      <div class="mt-6 flex gap-[10px]">
        <button
          type="button"
          class="button button-danger"
          :disabled="order.isPending.value"
          @click="order.mutate()"
        >
          {{ WORDS.act }}
        </button>
        <button type="button" class="button" @click="emit('back')">{{ WORDS.keep }}</button>
      </div>
      <p class="mt-[18px] font-mono text-[12.5px] text-mute">
        openlatch {{ WORDS.command }} {{ entry.ref }} --dry-run
      </p>
    </template>
  </div>
</template>
