<script setup lang="ts">
import { computed, ref, toRef } from "vue";
import { useSession } from "@/api/session";
import { useShortcuts } from "@/app/shortcuts";
import EndPanel from "@/features/orders/EndPanel.vue";
import OrderProgress from "@/features/orders/OrderProgress.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import EntryFacts from "./EntryFacts.vue";
import EntryFlags from "./EntryFlags.vue";
import { useEntry } from "./useInventory";

const props = defineProps<{ entryRef: string }>();
const emit = defineEmits<{ close: [] }>();
const session = useSession();
const mayEnd = session.may("orders.create");
const maySeeOrders = session.may("orders.browse");
const { data: entry, error, refetch } = useEntry(toRef(props, "entryRef"));
const ending = ref(false);

const order = computed(() => (maySeeOrders.value ? entry.value?.order : null));
const canEnd = computed(
  () => mayEnd.value && !!entry.value && ["offered", "live", "paused"].includes(entry.value.state),
);

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
      <EndPanel
        v-if="ending"
        :entry="entry"
        @back="ending = false"
        @ordered="((ending = false), refetch())"
      />
      <template v-else>
        <EntryFacts :entry="entry" />
        <OrderProgress v-if="order" :key="order.ref" :order-ref="order.ref" @over="refetch()" />
        <EntryFlags :flags="entry.flags" :state="entry.state" />
        <div class="mt-6 flex gap-[10px]">
          <button v-if="canEnd" type="button" class="button button-danger" @click="ending = true">
            End access…
          </button>
          <p v-else-if="!mayEnd && entry.state !== 'ended'" class="small">
            Ending access takes the role manager or owner; you are signed in as
            {{ session.me.value?.person.role }}.
          </p>
        </div>
        <p class="mt-4 font-mono text-[12.5px] text-mute">openlatch show {{ entry.ref }}</p>
      </template>
    </template>
    <p v-else class="text-mute" role="status">Reading the entry…</p>
  </SidePanel>
</template>
