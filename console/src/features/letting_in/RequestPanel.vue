<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type AccessRequest } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { lastDay, moment } from "@/ui/time";
import { requestState } from "./states";
import FormField from "@/ui/FormField.vue";

/** What someone asks for: to be offered as asked, or less, or declined with a reason. */
const props = defineProps<{ request: AccessRequest; mine: boolean }>();
const emit = defineEmits<{ changed: [] }>();
const { zone, may } = useSession();
const mayAnswer = may("requests.turn_down");
const mayOffer = may("offers.create");
const queries = useQueryClient();
const reason = ref("");
const params = computed(() => ({ path: { request: props.request.ref } }));
const act = useMutation({
  mutationFn: (what: "turn-down" | "withdraw") =>
    what === "turn-down"
      ? take(
          api.POST("/requests/{request}/turn-down", { params: params.value, body: { reason: reason.value } }),
        )
      : take(api.POST("/requests/{request}/withdraw", { params: params.value })),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["requests"] });
    emit("changed");
  },
});
const waits = computed(() => props.request.state === "waiting");
</script>

<template>
  <div>
    <p class="small">Request {{ request.ref }} · {{ requestState(request) }}</p>
    <h2 class="mt-2 pr-6">{{ mine ? request.account : request.name }}</h2>
    <p v-if="!mine" class="mt-1 font-mono text-plain break-all">{{ request.address }}</p>
    <dl class="mt-4 grid grid-cols-[104px_minmax(0,1fr)] gap-y-[6px]">
      <dt class="text-mute">Account</dt>
      <dd>
        {{ request.account }}
        <span v-if="!request.account_id && !mine" class="small block"
          >There is no account of that name here.</span
        >
      </dd>
      <dt class="text-mute">Asks for</dt>
      <dd>{{ request.level || request.needs.join(", ") }}</dd>
      <dt class="text-mute">Until</dt>
      <dd>{{ request.ends_at ? lastDay(request.ends_at, zone) : "no end is given" }}</dd>
      <dt class="text-mute">Purpose</dt>
      <dd class="break-words">{{ request.reason }}</dd>
      <dt class="text-mute">Asked</dt>
      <dd>{{ moment(request.asked_at, zone) }}</dd>
      <template v-if="request.answered_by">
        <dt class="text-mute">Answered</dt>
        <dd>
          {{ moment(request.answered_at, zone) }}, by {{ request.answered_by }}
          <span v-if="request.answer" class="block">“{{ request.answer }}”</span>
        </dd>
      </template>
    </dl>
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4" />
    <template v-if="waits && !mine && mayAnswer">
      <div class="mt-5 flex flex-wrap gap-[10px]">
        <RouterLink
          v-if="mayOffer"
          class="button button-act"
          :to="{ path: '/offers/new', query: { request: request.ref } }"
        >
          Offer it, or less…
        </RouterLink>
      </div>
      <FormField class="mt-5" label="Or decline it: why (they read this)">
        <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
      </FormField>
      <button
        type="button"
        class="button button-danger mt-3"
        :disabled="!reason.trim() || act.isPending.value"
        @click="act.mutate('turn-down')"
      >
        Decline it
      </button>
    </template>
    <button
      v-if="mine && waits"
      type="button"
      class="button mt-5"
      :disabled="act.isPending.value"
      @click="act.mutate('withdraw')"
    >
      Withdraw it
    </button>
    <p class="mt-5 font-mono text-small text-mute">openlatch request show {{ request.ref }}</p>
  </div>
</template>
