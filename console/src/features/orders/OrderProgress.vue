<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref, toRef, type Ref } from "vue";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact, moment } from "@/ui/time";
import OrderState from "./OrderState.vue";
import { useOrder, type Move } from "./useOrder";
import FormField from "@/ui/FormField.vue";

const props = defineProps<{ orderRef: string }>();
const emit = defineEmits<{ over: [] }>();
const session = useSession();
const { zone } = session;
const MAY: Record<string, Ref<boolean>> = {
  "try-again": session.may("orders.try_again"),
  cancel: session.may("orders.cancel"),
  done: session.may("orders.confirm_done"),
};
const moves = computed(() => (order.value?.moves ?? []).filter((how) => MAY[how]?.value));
const now = useNow(1000);
const { data: order, error, move } = useOrder(toRef(props, "orderRef"), () => emit("over"));
const moving = useMutation({ mutationFn: (how: Move) => move(how, said.value) });

const said = ref("");
const ends = computed(() => ["end", "give-up"].includes(order.value?.action ?? "end"));
/** How long ago the provider said yes to the last step that asked it for something. */
const toldAgo = computed(() => {
  const at = order.value?.steps.filter((step) => step.at && step.call !== "read").at(-1)?.at;
  return at ? ago(at, now.value) : "";
});
/** What the state means for this order, in a sentence. */
const meaning = computed(() => {
  const now = order.value;
  switch (now?.state) {
    case "running":
      return "The provider is being asked.";
    case "waiting":
      if (now.moves.includes("done")) return "Someone has to do something, and report it here.";
      return now.attempts ? "It will be tried again on its own." : "It continues on its own.";
    case "told":
      return `Told ${toldAgo.value}. It counts once a fresh reading shows it${ends.value ? " gone" : ""}.`;
    case "proved":
      return ends.value
        ? "A fresh reading of the provider shows it gone."
        : "It is done, and there is a receipt.";
    case "stuck":
      return "It needs a person.";
    case "cancelled":
      return "It was cancelled; what was not done yet stays as it was.";
    default:
      return "";
  }
});
const MOVES: Record<string, string> = { "try-again": "Try again", cancel: "Cancel it", done: "It is done" };

function next(instant: string): string {
  const seconds = Math.max(0, Math.ceil((Date.parse(instant) - now.value) / 1000));
  if (order.value?.moves.includes("done")) return `Until ${day(instant, zone.value)}.`;
  if (order.value?.state === "told") return `Read again at ${moment(instant, zone.value)}.`;
  return seconds < 600 ? `Next try in ${seconds} s.` : `It continues on ${moment(instant, zone.value)}.`;
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
      <p>{{ meaning }}</p>
      <p v-if="order.why" class="mt-1 text-mute">
        {{ order.why }}
        <template v-if="order.again_at">{{ next(order.again_at) }}</template>
      </p>
      <ol class="mt-3">
        <li v-for="(step, place) in order.steps" :key="place" class="mb-2 flex gap-[14px]">
          <span
            class="w-3 shrink-0 font-serif text-lead leading-[1.2] font-medium"
            :class="step.at ? 'text-good' : 'text-mute'"
            aria-hidden="true"
            >{{ step.at ? "✓" : place + 1 }}</span
          >
          <span :class="step.at ? '' : 'text-mute'">
            {{ step.text }}
            <span v-if="step.at" class="small block" :title="exact(step.at)">
              {{ moment(step.at, zone) }}: {{ step.said }}
            </span>
            <span v-else class="sr-only">to do</span>
          </span>
        </li>
      </ol>
      <p class="small mt-2">
        Ordered by {{ order.ordered_by }}, {{ moment(order.ordered_at, zone)
        }}<template v-if="order.reason">: {{ order.reason }}</template>
      </p>
      <ProblemNote v-if="moving.error.value" :error="moving.error.value" class="mt-3" />
      <FormField v-if="moves.includes('done')" class="mt-3" label="How it was done, or by whom (optional)">
        <input v-model="said" class="field w-full" maxlength="1000" autocomplete="off" />
      </FormField>
      <div v-if="moves.length" class="mt-3 flex gap-[10px]">
        <button
          v-for="how in moves"
          :key="how"
          type="button"
          class="button"
          :disabled="moving.isPending.value"
          @click="moving.mutate(how as Move)"
        >
          {{ MOVES[how] }}
        </button>
      </div>
    </template>
  </section>
</template>
