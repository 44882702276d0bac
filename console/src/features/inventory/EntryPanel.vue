<script setup lang="ts">
import { ref, toRef } from "vue";
import { useSession } from "@/api/session";
import OrderPanel from "@/features/orders/OrderPanel.vue";
import OrderProgress from "@/features/orders/OrderProgress.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import EntryActs from "./EntryActs.vue";
import EntryFacts from "./EntryFacts.vue";
import EntryRisk from "./EntryRisk.vue";
import { useEntry } from "./useInventory";

/** An entry beside the list that it was chosen from; its page has its history, and who else there is. */
const props = defineProps<{ entryRef: string }>();
const emit = defineEmits<{ close: [] }>();
const mayEnd = useSession().may("orders.create");
const { data: entry, error, refetch } = useEntry(toRef(props, "entryRef"));
const ending = ref(false);

function close(): void {
  if (ending.value) ending.value = false;
  else emit("close");
}
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
        <OrderProgress
          v-if="entry.order"
          :key="entry.order.ref"
          :order-ref="entry.order.ref"
          @over="refetch()"
        />
        <EntryRisk :entry="entry" />
        <div class="acts">
          <EntryActs :entry="entry" @order="ending = true" @changed="refetch()" />
        </div>
        <p class="mt-4">
          <RouterLink class="link" :to="`/entries/${entry.ref}`"
            >Its page: who else has access, activity, history</RouterLink
          >
        </p>
        <p class="mt-2 font-mono text-small text-mute">openlatch show {{ entry.ref }}</p>
      </template>
    </template>
    <p v-else class="text-mute" role="status">Reading the entry…</p>
  </SidePanel>
</template>
