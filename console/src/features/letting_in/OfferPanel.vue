<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Offer } from "@/api/client";
import { useSession } from "@/api/session";
import OrderState from "@/features/orders/OrderState.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { exact, lastDay, moment } from "@/ui/time";
import { stateOf } from "./states";
import FormField from "@/ui/FormField.vue";

/** One offer: what it is, what has become of it, and what can be done with it by whoever looks. */
const props = defineProps<{ offer: Offer; mine: boolean }>();
const emit = defineEmits<{ changed: [] }>();
const { zone, may } = useSession();
const mayChange = may("offers.withdraw");
const queries = useQueryClient();
const reason = ref("");
const params = computed(() => ({ path: { offer: props.offer.ref } }));
const act = useMutation({
  mutationFn: (what: "send" | "withdraw" | "take-up" | "decline" | "later") => {
    if (what === "send") return take(api.POST("/offers/{offer}/send", { params: params.value }));
    if (what === "withdraw")
      return take(
        api.POST("/offers/{offer}/withdraw", { params: params.value, body: { reason: reason.value } }),
      );
    return take(
      api.POST("/offers/{offer}/answer", {
        params: params.value,
        body: { answer: what, reason: reason.value },
      }),
    );
  },
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["offers"] });
    await queries.invalidateQueries({ queryKey: ["entries"] });
    emit("changed");
  },
});
const waits = computed(() => props.offer.state === "waiting");
</script>

<template>
  <div>
    <p class="small">Offer {{ offer.ref }} · {{ stateOf(offer) }}</p>
    <h2 class="mt-2 pr-6">{{ mine ? `From ${offer.made_by}` : offer.name }}</h2>
    <p class="mt-1 font-mono text-plain break-all">{{ offer.address }}</p>
    <ul class="mt-4 grid gap-2">
      <li
        v-for="one in offer.confirmed.slice(0, offer.parts.length)"
        :key="one"
        class="border-l-2 border-act pl-3"
      >
        {{ one }}
      </li>
    </ul>
    <dl class="mt-4 grid grid-cols-[104px_minmax(0,1fr)] gap-y-[6px]">
      <template v-if="offer.basis">
        <dt class="text-mute">Purpose</dt>
        <dd class="break-words">{{ offer.basis }}</dd>
      </template>
      <dt class="text-mute">Made</dt>
      <dd :title="exact(offer.made_at)">{{ moment(offer.made_at, zone) }}, by {{ offer.made_by }}</dd>
      <template v-if="waits">
        <dt class="text-mute">Valid until</dt>
        <dd :title="exact(offer.lapses_at)">{{ moment(offer.lapses_at, zone) }}</dd>
      </template>
      <template v-if="offer.left_at">
        <dt class="text-mute">Seen</dt>
        <dd>{{ moment(offer.left_at, zone) }}; left for later</dd>
      </template>
      <template v-if="offer.answered_at">
        <dt class="text-mute">Answered</dt>
        <dd>{{ moment(offer.answered_at, zone) }}</dd>
      </template>
      <template v-if="!mine && offer.confirmed.length > offer.parts.length">
        <dt class="text-mute">Confirmed</dt>
        <dd>{{ offer.confirmed.slice(offer.parts.length).join(" ") }}</dd>
      </template>
    </dl>
    <ul v-if="offer.parts.some((part) => part.order)" class="mt-4 grid gap-2">
      <li v-for="part in offer.parts" :key="part.account.id" class="text-plain">
        <span class="flex items-baseline gap-3">
          <OrderState v-if="part.order_state" :state="part.order_state" />
          <b class="font-[620]">{{ part.account.name }}</b>
          <RouterLink
            v-if="!mine && part.order"
            class="link"
            :to="{ path: '/orders', query: { order: part.order } }"
          >
            order {{ part.order }}
          </RouterLink>
          <RouterLink v-if="part.live" class="link" :to="`/entries/${part.live}`"> as it is now </RouterLink>
        </span>
        <span v-if="part.why" class="block text-mute">{{ part.why }}</span>
        <span v-if="part.ends_at && part.live" class="small block">
          through {{ lastDay(part.ends_at, zone) }}
        </span>
      </li>
    </ul>
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4" />
    <template v-if="waits && (mine || mayChange)">
      <FormField
        class="mt-5"
        :label="mine ? 'Why you decline, if you do (optional)' : 'Why, if you withdraw it (optional)'"
      >
        <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" />
      </FormField>
      <div class="acts">
        <template v-if="mine">
          <button
            type="button"
            class="button button-act"
            :disabled="act.isPending.value"
            @click="act.mutate('take-up')"
          >
            Accept
          </button>
          <button type="button" class="button" :disabled="act.isPending.value" @click="act.mutate('later')">
            Decide later
          </button>
          <button
            type="button"
            class="button button-danger"
            :disabled="act.isPending.value"
            @click="act.mutate('decline')"
          >
            Decline it
          </button>
        </template>
        <template v-else>
          <RouterLink class="button" :to="{ path: '/offers/new', query: { instead_of: offer.ref } }">
            Change it…
          </RouterLink>
          <button type="button" class="button" :disabled="act.isPending.value" @click="act.mutate('send')">
            Send it again
          </button>
          <button
            type="button"
            class="button button-danger"
            :disabled="act.isPending.value"
            @click="act.mutate('withdraw')"
          >
            Withdraw it
          </button>
        </template>
      </div>
    </template>
    <p class="mt-5 font-mono text-small text-mute">openlatch offer show {{ offer.ref }}</p>
  </div>
</template>
