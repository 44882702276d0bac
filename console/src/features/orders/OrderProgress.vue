<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, toRef, type Ref } from "vue";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { exact, moment } from "@/ui/time";
import OrderState from "./OrderState.vue";
import { useOrder } from "./useOrder";

const props = defineProps<{ orderRef: string }>();
const emit = defineEmits<{ over: [] }>();
const session = useSession();
const { zone } = session;
const MAY: Record<string, Ref<boolean>> = {
  "try-again": session.may("orders.try_again"),
  cancel: session.may("orders.cancel"),
};
const moves = computed(() => (order.value?.moves ?? []).filter((how) => MAY[how]?.value));
const now = useNow(1000);
const { data: order, error, move } = useOrder(toRef(props, "orderRef"), () => emit("over"));
const moving = useMutation({ mutationFn: move });

const WORDS: Record<string, string> = {
  running: "The provider is being asked.",
  waiting: "It is tried again by itself.",
  told: "The provider said yes. It counts once a fresh reading shows it gone.",
  proved: "A fresh reading of the provider shows it gone.",
  stuck: "It needs a person.",
  cancelled: "It was called off; the access stands as before.",
};
const MOVES: Record<string, string> = { "try-again": "Try again", cancel: "Call it off" };

function seconds(instant: string): number {
  return Math.max(0, Math.ceil((Date.parse(instant) - now.value) / 1000));
}
</script>

<template>
  <section aria-label="Order" aria-live="polite">
    <h3 class="section flex items-baseline justify-between">
      <span>Order {{ orderRef }}</span>
      <OrderState v-if="order" :state="order.state" />
    </h3>
    <ProblemNote v-if="error" :error="error" />
    <template v-else-if="order">
      <p>{{ WORDS[order.state] }}</p>
      <p v-if="order.why" class="mt-1 text-mute">
        {{ order.why }}
        <template v-if="order.again_at">Next try in {{ seconds(order.again_at) }} s.</template>
      </p>
      <ol class="mt-3">
        <li v-for="(step, place) in order.steps" :key="step.call" class="mb-2 flex gap-[14px]">
          <span
            class="w-3 shrink-0 font-serif text-[16px] leading-[1.2] font-medium"
            :class="step.at ? 'text-good' : 'text-mute'"
            aria-hidden="true"
            >{{ step.at ? "✓" : place + 1 }}</span
          >
          <span :class="step.at ? '' : 'text-mute'">
            {{ step.text }}
            <span v-if="step.at" class="small block" :title="exact(step.at)">
              {{ moment(step.at, zone) }}: {{ step.said }}
            </span>
            <span v-else class="sr-only">still to be done</span>
          </span>
        </li>
      </ol>
      <p class="small mt-2">
        Given by {{ order.ordered_by }}, {{ moment(order.ordered_at, zone)
        }}<template v-if="order.reason">: {{ order.reason }}</template>
      </p>
      <ProblemNote v-if="moving.error.value" :error="moving.error.value" class="mt-3" />
      <div v-if="moves.length" class="mt-3 flex gap-[10px]">
        <button
          v-for="how in moves"
          :key="how"
          type="button"
          class="button"
          :disabled="moving.isPending.value"
          @click="moving.mutate(how as 'cancel' | 'try-again')"
        >
          {{ MOVES[how] }}
        </button>
      </div>
    </template>
  </section>
</template>
