<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, toRef } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { useShortcuts } from "@/app/shortcuts";
import OrderPanel from "@/features/orders/OrderPanel.vue";
import OrderProgress from "@/features/orders/OrderProgress.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import RiskLines from "@/ui/RiskLines.vue";
import SidePanel from "@/ui/SidePanel.vue";
import EntryFacts from "./EntryFacts.vue";
import EntryFlags from "./EntryFlags.vue";
import { useEntry } from "./useInventory";

const props = defineProps<{ entryRef: string }>();
const emit = defineEmits<{ close: [] }>();
const session = useSession();
const mayEnd = session.may("orders.create");
const mayVouch = session.may("hand.vouch");
const mayOffer = session.may("offers.create");
const mayPropose = session.may("proposals.create");
const queries = useQueryClient();
const { data: entry, error, refetch } = useEntry(toRef(props, "entryRef"));
const ending = ref(false);

const order = computed(() => entry.value?.order);
const underWay = computed(() => !!order.value && !["proved", "cancelled"].includes(order.value.state));
const stands = computed(() => !!entry.value && ["offered", "live", "paused"].includes(entry.value.state));
const own = computed(() => {
  const address = session.me.value?.person.address;
  return !!address && !!entry.value?.party.addresses.some((one) => one.toLowerCase() === address);
});
// What is recorded by hand is ended elsewhere and said here; but a secret can be ordered to be changed.
const orderable = computed(() => !entry.value?.by_hand || entry.value.kind === "secret");
const canGiveBack = computed(
  () => entry.value?.state === "ended" && !underWay.value && !!entry.value.acts.length && mayEnd.value,
);
const canEnd = computed(() => {
  if (!stands.value || underWay.value || !orderable.value) return false;
  return (mayEnd.value && !!entry.value?.acts.length) || (own.value && entry.value?.kind !== "secret");
});
const opens = computed(() => {
  if (!mayEnd.value) return "Give it up…";
  return entry.value?.kind === "secret" ? "Change the secret…" : "End or narrow…";
});
const canVouch = computed(() => stands.value && !!entry.value?.by_hand && mayVouch.value);
const say = useMutation({
  mutationFn: (gone: boolean) => {
    const params = { path: { entry: props.entryRef } };
    return gone
      ? take(api.POST("/entries/{entry}/gone", { params, body: { reason: "" } }))
      : take(api.POST("/entries/{entry}/vouch", { params }));
  },
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["providers"] });
    await refetch();
  },
});

function close(): void {
  if (ending.value) ending.value = false;
  else emit("close");
}
useShortcuts({
  e: () => {
    if (canEnd.value) ending.value = true;
  },
});
</script>

<template>
  <SidePanel :label="entry ? `${entry.party.name} on ${entry.account.name}` : 'Entry'" @close="close">
    <ProblemNote v-if="error" :error="error" />
    <template v-else-if="entry">
      <OrderPanel
        v-if="ending"
        :entry="entry"
        :own="!mayEnd"
        @back="ending = false"
        @ordered="((ending = false), refetch())"
      />
      <template v-else>
        <EntryFacts :entry="entry" />
        <OrderProgress v-if="order" :key="order.ref" :order-ref="order.ref" @over="refetch()" />
        <template v-if="entry.state !== 'ended'">
          <h3 class="section">Risk</h3>
          <RiskLines :risk="entry.risk" :lines="entry.risk_lines" />
        </template>
        <p v-if="entry.advice" class="mt-3 border-l-2 border-act pl-3">
          <b class="font-[620]">Advice.</b> {{ entry.advice.text }}
        </p>
        <EntryFlags :entry="entry" />
        <div class="acts">
          <button v-if="canEnd" type="button" class="button button-danger" @click="ending = true">
            {{ opens }}
          </button>
          <RouterLink
            v-if="entry.kind === 'secret' && stands && mayOffer"
            class="button"
            :to="{ path: '/offers/new', query: { replaces: entry.ref } }"
            >Offer access instead…</RouterLink
          >
          <RouterLink
            v-if="mayPropose && canEnd && entry.kind !== 'secret'"
            class="button"
            :to="{ path: '/what-if/new', query: { entry: entry.ref } }"
            >What if it ended?</RouterLink
          >
          <button v-if="canGiveBack" type="button" class="button" @click="ending = true">
            Give it back…
          </button>
          <template v-if="canVouch">
            <button type="button" class="button" :disabled="say.isPending.value" @click="say.mutate(false)">
              It is still there
            </button>
            <button
              type="button"
              class="button button-danger"
              :disabled="say.isPending.value"
              @click="say.mutate(true)"
            >
              It has ended
            </button>
          </template>
          <p v-if="!mayEnd && !canEnd && entry.state !== 'ended'" class="small">
            Only managers and owners can end access; your role is
            {{ session.me.value?.person.role }}.
          </p>
        </div>
        <ProblemNote v-if="say.error.value" :error="say.error.value" class="mt-4" />
        <p v-if="canVouch" class="small mt-2">
          Open Latch cannot reach it. End it at {{ entry.provider.name }} itself, then record here that it has
          ended.
        </p>
        <p class="mt-4 font-mono text-small text-mute">openlatch show {{ entry.ref }}</p>
      </template>
    </template>
    <p v-else class="text-mute" role="status">Reading the entry…</p>
  </SidePanel>
</template>
