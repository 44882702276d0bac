<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import OrderProgress from "./OrderProgress.vue";
import OrderState from "./OrderState.vue";
import { resting } from "./useOrder";

const CHOICES: [string, string][] = [
  ["", "all"],
  ["waiting,running,told", "under way"],
  ["stuck", "stuck"],
  ["proved", "proved"],
];
const route = useRoute();
const router = useRouter();
const now = useNow();
const { zone } = useSession();
const state = computed(() => (typeof route.query.state === "string" ? route.query.state : ""));
const batch = computed(() => (typeof route.query.batch === "string" ? route.query.batch : ""));
const open = computed(() => (typeof route.query.order === "string" ? route.query.order : ""));

const pages = useInfiniteQuery({
  queryKey: computed(() => ["orders", "list", state.value, batch.value]),
  queryFn: ({ pageParam }) =>
    take(
      api.GET("/orders", {
        params: { query: { state: state.value, batch: batch.value, limit: 100, cursor: pageParam } },
      }),
    ),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  refetchInterval: (query) =>
    query.state.data?.pages.some((page) => page.items.some((order) => !resting(order))) ? 1500 : false,
});
const { error, isPending, hasNextPage } = pages;
const orders = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
const shown = computed(() => orders.value.find((order) => order.ref === open.value));

const receiptFile = computed(
  () => `data:application/jose;charset=us-ascii,${encodeURIComponent(shown.value?.receipt?.signed ?? "")}`,
);
function show(order: string): void {
  void router.push({
    query: {
      ...(state.value ? { state: state.value } : {}),
      ...(batch.value ? { batch: batch.value } : {}),
      ...(order ? { order } : {}),
    },
  });
}
</script>

<template>
  <ListPage
    title="Orders"
    lead="What was commanded, and whether it is proved."
    :error="error"
    :pending="isPending"
    :empty="!orders.length"
    :nothing="state ? 'No order is in that state.' : 'Nothing was ordered yet.'"
    hint="An order begins at an entry of the inventory, with “End or narrow”."
    :more="hasNextPage"
    more-text="Earlier orders"
    @more="pages.fetchNextPage()"
  >
    <template #filter>
      <div class="mt-4 flex gap-2 text-[13px]" role="group" aria-label="Which orders">
        <RouterLink
          v-for="[value, name] in CHOICES"
          :key="value"
          :to="{ query: value ? { state: value } : {} }"
          class="rounded-md px-[10px] py-[6px]"
          :class="value === state ? 'bg-wash font-semibold' : 'text-act'"
          :aria-current="value === state ? 'true' : undefined"
          >{{ name }}</RouterLink
        >
        <RouterLink class="link ml-auto pr-6" to="/batches">Batches</RouterLink>
      </div>
    </template>
    <table class="w-full min-w-[720px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head w-[112px]">State</th>
          <th class="head min-w-[150px]">What, of whom</th>
          <th class="head min-w-[120px]">On</th>
          <th class="head min-w-[130px]">Given by</th>
          <th class="head">When</th>
          <th class="head">What it waits for, or what proves it</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="order in orders"
          :key="order.id"
          class="cursor-pointer border-b border-line hover:bg-wash/60"
          :class="order.ref === open ? 'bg-wash' : ''"
          @click="show(order.ref)"
        >
          <td class="cell"><OrderState :state="order.state" /></td>
          <td class="cell">
            <button type="button" class="text-left font-[620]" @click.stop="show(order.ref)">
              {{ order.party }}
            </button>
            <span class="small block"
              >{{ order.action.replace("-", " ") }} · <span class="font-mono">{{ order.ref }}</span></span
            >
          </td>
          <td class="cell">
            {{ order.team ? `the team ${order.team.name}` : order.account
            }}<span class="small block">{{ order.provider }}</span>
          </td>
          <td class="cell">
            {{ order.ordered_by }}<span class="small block">{{ order.reason }}</span>
          </td>
          <td class="cell whitespace-nowrap" :title="exact(order.ordered_at)">
            {{ ago(order.ordered_at, now) }}
          </td>
          <td class="cell text-[13px] text-mute">{{ order.why || order.receipt?.showed }}</td>
        </tr>
      </tbody>
    </table>
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
        <OrderProgress :order-ref="open" @over="pages.refetch()" />
        <template v-if="shown?.receipt">
          <h3 class="section">Receipt</h3>
          <dl class="grid grid-cols-[92px_minmax(0,1fr)] gap-y-[6px]">
            <dt class="text-mute">Showed</dt>
            <dd class="break-words">{{ shown.receipt.showed }}</dd>
            <template v-if="shown.receipt.remains.length">
              <dt class="text-mute">Still has</dt>
              <dd class="text-high">{{ shown.receipt.remains.join("; ") }}</dd>
            </template>
            <dt class="text-mute">Read</dt>
            <dd :title="exact(shown.receipt.read_at)">{{ moment(shown.receipt.read_at, zone) }}</dd>
            <dt class="text-mute">Asked</dt>
            <dd :title="exact(shown.receipt.told_at)">
              {{ moment(shown.receipt.told_at, zone) || "it was gone already" }}
            </dd>
            <dt class="text-mute">Ordered by</dt>
            <dd>{{ shown.receipt.ordered_by }}</dd>
          </dl>
          <p class="mt-3 text-[13px]">
            It is signed, and can be checked without asking anybody:
            <a class="link" :href="receiptFile" :download="`receipt-${shown.ref}.jws`"
              >receipt-{{ shown.ref }}.jws</a
            >
          </p>
        </template>
        <p class="mt-5 font-mono text-[12.5px] text-mute">openlatch order {{ open }}</p>
      </SidePanel>
    </template>
  </ListPage>
</template>
