<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type Entry } from "@/api/client";
import { useSession } from "@/api/session";
import { useShortcuts } from "@/app/shortcuts";
import ProblemNote from "@/ui/ProblemNote.vue";

/** What can be done with an entry by whoever looks at it; an order is given elsewhere. */
const props = defineProps<{ entry: Entry }>();
const emit = defineEmits<{ order: []; changed: [] }>();
const session = useSession();
const mayEnd = session.may("orders.create");
const mayVouch = session.may("hand.vouch");
const mayOffer = session.may("offers.create");
const mayPropose = session.may("proposals.create");
const queries = useQueryClient();

const underWay = computed(
  () => !!props.entry.order && !["proved", "cancelled"].includes(props.entry.order.state),
);
const stands = computed(() => ["offered", "live", "paused"].includes(props.entry.state));
const own = computed(() => {
  const address = session.me.value?.person.address;
  return !!address && props.entry.party.addresses.some((one) => one.toLowerCase() === address);
});
// What is recorded by hand is ended elsewhere and said here; but a secret can be ordered to be changed.
const orderable = computed(() => !props.entry.by_hand || props.entry.kind === "secret");
const canGiveBack = computed(
  () => props.entry.state === "ended" && !underWay.value && !!props.entry.acts.length && mayEnd.value,
);
const canEnd = computed(() => {
  if (!stands.value || underWay.value || !orderable.value) return false;
  return (mayEnd.value && !!props.entry.acts.length) || (own.value && props.entry.kind !== "secret");
});
const opens = computed(() => {
  if (!mayEnd.value) return "Give it up…";
  return props.entry.kind === "secret" ? "Change the secret…" : "End or narrow…";
});
const canVouch = computed(() => stands.value && props.entry.by_hand && mayVouch.value);
const say = useMutation({
  mutationFn: (gone: boolean) => {
    const params = { path: { entry: props.entry.ref } };
    return gone
      ? take(api.POST("/entries/{entry}/gone", { params, body: { reason: "" } }))
      : take(api.POST("/entries/{entry}/vouch", { params }));
  },
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["providers"] });
    emit("changed");
  },
});
useShortcuts({
  e: () => {
    if (canEnd.value) emit("order");
  },
});
</script>

<template>
  <button v-if="canEnd" type="button" class="button button-danger" @click="emit('order')">
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
  <button v-if="canGiveBack" type="button" class="button" @click="emit('order')">Give it back…</button>
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
    <p class="small w-full">
      Open Latch cannot reach it. End it at {{ entry.provider.name }} itself, then record here that it has
      ended.
    </p>
  </template>
  <p v-if="!mayEnd && !canEnd && entry.state !== 'ended'" class="small w-full">
    Only managers and owners can end access; your role is {{ session.me.value?.person.role }}.
  </p>
  <ProblemNote v-if="say.error.value" :error="say.error.value" class="w-full" />
</template>
