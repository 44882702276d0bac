<script setup lang="ts">
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import OrderProgress from "./OrderProgress.vue";
import OrderState from "./OrderState.vue";
import { resting } from "./useOrder";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import { usePages } from "@/ui/usePages";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";
import { useQueryParams } from "@/ui/useQueryParams";

const COLUMNS: Column[] = [
  { key: "state", title: "State", class: "w-[112px]" },
  { key: "what", title: "Action", class: "min-w-[150px]" },
  { key: "on", title: "On", class: "min-w-[120px]" },
  { key: "givenBy", title: "Given by", class: "min-w-[130px]" },
  { key: "when", title: "When", cell: "whitespace-nowrap" },
  { key: "proof", title: "Waiting for, or proof", cell: "text-plain text-mute" },
];

const CHOICES: [string, string][] = [
  ["", "all"],
  ["waiting,running,told", "in progress"],
  ["stuck", "stuck"],
  ["proved", "proved"],
];
const { param, go } = useQueryParams();
const now = useNow();
const { zone } = useSession();
const state = param("state");
const batch = param("batch");
const open = param("order");

const {
  items: orders,
  error,
  isPending,
  hasMore,
  more,
  refetch,
} = usePages(
  () => ["orders", "list", state.value, batch.value],
  (cursor) =>
    take(
      api.GET("/orders", {
        params: { query: { state: state.value, batch: batch.value, limit: 100, cursor } },
      }),
    ),
  { again: (pages) => pages.some((page) => page.items.some((order) => !resting(order))) && 1500 },
);
const shown = computed(() => orders.value.find((order) => order.ref === open.value));

const receiptFile = computed(
  () => `data:application/jose;charset=us-ascii,${encodeURIComponent(shown.value?.receipt?.signed ?? "")}`,
);
function show(order: string): void {
  go({ order });
}
</script>

<template>
  <ListPage
    title="Orders"
    lead="What was commanded, and whether it is proved."
    :error="error"
    :pending="isPending"
    :empty="!orders.length"
    :nothing="state ? 'There are no orders in that state.' : 'There are no orders yet.'"
    hint="Orders are given at an entry of the inventory, with “End or narrow”."
    :more="hasMore"
    more-text="Earlier orders"
    @more="more"
  >
    <template #filter>
      <div class="mt-4 flex items-center gap-2 text-plain">
        <SegmentedButtons
          label="Which orders"
          :choices="CHOICES"
          :chosen="state"
          @choose="(value) => go({ state: value, batch: '', order: '' })"
        />
        <RouterLink class="link ml-auto pr-6" to="/batches">Batches</RouterLink>
      </div>
    </template>
    <DataTable
      :columns="COLUMNS"
      :rows="orders"
      :key-of="(order) => order.id"
      :least="720"
      opens
      :is-open="(order) => order.ref === open"
      @open="(order) => show(order.ref)"
    >
      <template #state="{ row: order }">
        <OrderState :state="order.state" />
      </template>
      <template #what="{ row: order }">
        <button type="button" class="text-left font-[620]" @click.stop="show(order.ref)">
          {{ order.party }}
        </button>
        <span class="small block"
          >{{ order.action.replace("-", " ") }} · <span class="font-mono">{{ order.ref }}</span></span
        >
      </template>
      <template #on="{ row: order }"
        >{{ order.team ? `the team ${order.team.name}` : order.account
        }}<span class="small block">{{ order.provider }}</span>
      </template>
      <template #givenBy="{ row: order }"
        >{{ order.ordered_by }}<span class="small block">{{ order.reason }}</span>
      </template>
      <template #when="{ row: order }">
        <span :title="exact(order.ordered_at)">{{ ago(order.ordered_at, now) }}</span>
      </template>
      <template #proof="{ row: order }">{{ order.why || order.receipt?.showed }}</template>
    </DataTable>
    <template #panel>
      <SidePanel v-if="open" :key="open" :label="`Order ${open}`" @close="show('')">
        <template v-if="shown">
          <p class="small">Order</p>
          <h2 class="mt-2 pr-6">{{ shown.about }}</h2>
          <p class="mt-2 text-mute">
            {{ shown.provider }} ·
            <RouterLink
              v-if="shown.team"
              class="link"
              :to="{ path: `/parties/${shown.team.ref}`, query: { show: 'teams' } }"
            >
              team {{ shown.team.name }}
            </RouterLink>
            <RouterLink
              v-if="shown.entry"
              class="link"
              :to="{
                path: '/inventory',
                query: { entry: shown.entry.ref, state: 'offered,live,paused,ending,ended' },
              }"
            >
              entry {{ shown.entry.ref }}
            </RouterLink>
          </p>
        </template>
        <OrderProgress :order-ref="open" @over="refetch()" />
        <template v-if="shown?.receipt">
          <h3 class="section">Receipt</h3>
          <dl class="grid grid-cols-[92px_minmax(0,1fr)] gap-y-[6px]">
            <dt class="text-mute">Proof</dt>
            <dd class="break-words">{{ shown.receipt.showed }}</dd>
            <template v-if="shown.receipt.remains.length">
              <dt class="text-mute">Still has</dt>
              <dd class="text-high">{{ shown.receipt.remains.join("; ") }}</dd>
            </template>
            <dt class="text-mute">Read</dt>
            <dd :title="exact(shown.receipt.read_at)">{{ moment(shown.receipt.read_at, zone) }}</dd>
            <dt class="text-mute">Asked</dt>
            <dd :title="exact(shown.receipt.told_at)">
              {{ moment(shown.receipt.told_at, zone) || "it was already gone" }}
            </dd>
            <dt class="text-mute">Ordered by</dt>
            <dd>{{ shown.receipt.ordered_by }}</dd>
          </dl>
          <p class="mt-3 text-plain">
            It is signed, and can be verified without asking anyone:
            <a class="link" :href="receiptFile" :download="`receipt-${shown.ref}.jws`"
              >receipt-{{ shown.ref }}.jws</a
            >
          </p>
        </template>
        <p class="mt-5 font-mono text-small text-mute">openlatch order show {{ open }}</p>
      </SidePanel>
    </template>
  </ListPage>
</template>
