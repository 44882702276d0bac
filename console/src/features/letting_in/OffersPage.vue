<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, lastDay } from "@/ui/time";
import AskForm from "./AskForm.vue";
import OfferPanel from "./OfferPanel.vue";
import RequestPanel from "./RequestPanel.vue";
import { lookAgain, requestState, stateOf } from "./states";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";
import { useQueryParams } from "@/ui/useQueryParams";

const OFFERED: Column[] = [
  { key: "state", title: "State", class: "w-[170px]" },
  { key: "to", title: "To", class: "min-w-[220px]" },
  { key: "of", title: "Of", class: "min-w-[160px]" },
  { key: "until", title: "Until", cell: "whitespace-nowrap" },
  { key: "made", title: "Made", cell: "whitespace-nowrap" },
  { key: "whatFor", title: "Purpose", cell: "text-plain text-mute" },
];
const ASKED: Column[] = [
  { key: "state", title: "State", class: "w-[170px]" },
  { key: "who", title: "Who", class: "min-w-[220px]" },
  { key: "account", title: "Account", class: "min-w-[130px]" },
  { key: "asksFor", title: "Asks for", class: "min-w-[130px]" },
  { key: "until", title: "Until", cell: "whitespace-nowrap" },
  { key: "asked", title: "Asked", cell: "whitespace-nowrap" },
  { key: "whatFor", title: "Purpose", cell: "text-plain text-mute" },
];

/** Offers and requests: of the whole workspace, or for a member their own. */
const now = useNow();
const session = useSession();
const { zone } = session;
const seesAll = session.may("offers.browse");
const mayOffer = session.may("offers.create");
const { param, go } = useQueryParams();
const whose = param("whose");
const kind = param("what");
const state = param("state");
const offer = param("offer");
const request = param("request");
const ask = param("ask");
const mine = computed(() => !seesAll.value || whose.value === "mine");
const what = computed(() => (kind.value === "requests" || request.value ? "requests" : "offers"));

const offers = useQuery({
  queryKey: computed(() => ["offers", "list", mine.value, state.value]),
  queryFn: () =>
    mine.value
      ? take(api.GET("/me/offers"))
      : take(api.GET("/offers", { params: { query: { state: state.value, limit: 200 } } })),
  refetchInterval: (query) => lookAgain(query.state.data?.items ?? []),
});
const requests = useQuery({
  queryKey: computed(() => ["requests", "list", mine.value]),
  queryFn: () =>
    mine.value
      ? take(api.GET("/me/requests"))
      : take(api.GET("/requests", { params: { query: { limit: 200 } } })),
});
const waiting = computed(
  () => requests.data.value?.items.filter((one) => one.state === "waiting").length ?? 0,
);
const shown = computed(() => (what.value === "offers" ? offers : requests));
const items = computed(() => shown.value.data.value?.items ?? []);
/** What providers show as offered and not accepted: it was made there, and is withdrawn as the entry that it is. */
const elsewhere = useQuery({
  queryKey: ["entries", "offered elsewhere"],
  queryFn: () =>
    take(api.GET("/entries", { params: { query: { kind: "offer", state: "offered", limit: 200 } } })),
  enabled: computed(() => !mine.value && what.value === "offers"),
});
const shownThere = computed(() =>
  mine.value || what.value !== "offers" || !["", "waiting"].includes(state.value)
    ? []
    : (elsewhere.data.value?.items.filter((one) => !one.by_hand) ?? []),
);
const openOffer = useQuery({
  queryKey: computed(() => ["offers", offer.value]),
  queryFn: () => take(api.GET("/offers/{offer}", { params: { path: { offer: offer.value } } })),
  enabled: computed(() => !!offer.value),
  refetchInterval: (query) => lookAgain(query.state.data ? [query.state.data] : []),
});
const openRequest = useQuery({
  queryKey: computed(() => ["requests", request.value]),
  queryFn: () => take(api.GET("/requests/{request}", { params: { path: { request: request.value } } })),
  enabled: computed(() => !!request.value),
});
const kinds = computed(() => [
  ["", "Offers"] as const,
  ["requests", waiting.value ? `Requests (${waiting.value})` : "Requests"] as const,
]);
/** No panel is open beside the list. */
const CLOSED = { offer: "", request: "", ask: "" };
const CHOICES: [string, string][] = [
  ["", "all"],
  ["waiting", "waiting"],
  ["taken-up", "accepted"],
  ["declined,lapsed,withdrawn", "not accepted"],
];
const toMe = computed(() => {
  const address = session.me.value?.person.address.toLowerCase();
  return openOffer.data.value?.address === address;
});
const lead = computed(() =>
  mine.value
    ? "What you were offered, and what you have asked for."
    : "Who was offered access, and who asks for it.",
);
const nothing = computed(() => {
  if (what.value === "requests") return mine.value ? "You have no requests." : "There are no requests.";
  return mine.value ? "There are no offers to you." : "There are no offers.";
});
</script>

<template>
  <ListPage
    title="Offers and requests"
    :lead="lead"
    :error="shown.error.value"
    :pending="shown.isPending.value"
    :empty="!items.length && !shownThere.length"
    :nothing="nothing"
    :hint="
      what === 'requests'
        ? 'Whoever signs in can ask for access here; others at the address /ask of this service.'
        : 'An offer is accepted by a link in a letter; until then it gives nothing.'
    "
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-2 pr-6 text-plain">
        <SegmentedButtons
          label="Offers or requests"
          :choices="kinds"
          :chosen="what === 'requests' ? what : ''"
          @choose="(word) => go({ ...CLOSED, what: word, state: '' })"
        />
        <SegmentedButtons
          v-if="seesAll"
          label="Whose"
          :choices="[['mine', 'only my own']]"
          :chosen="mine ? 'mine' : ''"
          @choose="go({ ...CLOSED, whose: mine ? '' : 'mine', state: '' })"
        />
        <SegmentedButtons
          v-if="what === 'offers' && !mine"
          class="ml-3"
          label="Which offers"
          :choices="CHOICES"
          :chosen="state"
          @choose="(value) => go({ ...CLOSED, state: value })"
        />
        <span class="ml-auto flex gap-[10px]">
          <button type="button" class="button" @click="go({ ask: 'yes', offer: '', request: '' })">
            Ask for access
          </button>
          <RouterLink v-if="mayOffer" class="button button-act" to="/offers/new">Let someone in</RouterLink>
        </span>
      </div>
    </template>
    <DataTable
      v-if="what === 'offers' && items.length"
      :columns="OFFERED"
      :rows="offers.data.value?.items ?? []"
      :key-of="(one) => one.id"
      :least="720"
      opens
      :is-open="(one) => one.ref === offer"
      @open="(one) => go({ ...CLOSED, offer: one.ref })"
    >
      <template #state="{ row: one }">
        <span :class="one.state === 'waiting' ? 'font-[620]' : ''">{{ stateOf(one) }}</span>
      </template>
      <template #to="{ row: one }">
        <button type="button" class="text-left font-[620]" @click.stop="go({ ...CLOSED, offer: one.ref })">
          {{ one.name }}
        </button>
        <span class="small block break-words">{{ one.address }}</span>
      </template>
      <template #of="{ row: one }">
        <span v-for="part in one.parts" :key="part.account.id" class="block">
          {{ part.account.name }} <span class="small">“{{ part.level }}”</span>
        </span>
      </template>
      <template #until="{ row: one }"
        >{{ one.parts[0]?.ends_at ? lastDay(one.parts[0].ends_at, zone) : "no end" }}
      </template>
      <template #made="{ row: one }">
        <span :title="exact(one.made_at)"
          >{{ ago(one.made_at, now) }}<span class="small block">{{ one.made_by }}</span></span
        >
      </template>
      <template #whatFor="{ row: one }">{{ one.basis }}</template>
    </DataTable>
    <DataTable
      v-else-if="what === 'requests'"
      :columns="ASKED"
      :rows="requests.data.value?.items ?? []"
      :key-of="(one) => one.id"
      :least="720"
      opens
      :is-open="(one) => one.ref === request"
      @open="(one) => go({ ...CLOSED, request: one.ref })"
    >
      <template #state="{ row: one }">
        <span :class="one.state === 'waiting' ? 'font-[620]' : ''">{{ requestState(one) }}</span>
      </template>
      <template #who="{ row: one }">
        <button type="button" class="text-left font-[620]" @click.stop="go({ ...CLOSED, request: one.ref })">
          {{ one.name }}
        </button>
        <span class="small block break-words">{{ one.address }}</span>
      </template>
      <template #account="{ row: one }">{{ one.account }}</template>
      <template #asksFor="{ row: one }">{{ one.level || one.needs.join(", ") }}</template>
      <template #until="{ row: one }">{{ one.ends_at ? lastDay(one.ends_at, zone) : "no end" }}</template>
      <template #asked="{ row: one }">
        <span :title="exact(one.asked_at)">{{ ago(one.asked_at, now) }}</span>
      </template>
      <template #whatFor="{ row: one }">{{ one.reason }}</template>
    </DataTable>
    <template v-if="shownThere.length">
      <h3 class="section">Offered at the providers themselves</h3>
      <p class="small">As readings show it; they are accepted there.</p>
      <ul class="mt-2">
        <li v-for="one in shownThere" :key="one.id" class="border-b border-line py-2">
          <RouterLink class="font-[620] hover:underline" :to="`/entries/${one.ref}`">{{
            one.party.name
          }}</RouterLink>
          <span class="ml-2 text-mute">{{ one.party.addresses.join(", ") }}</span>: “{{ one.level }}” on
          {{ one.account.name }}, {{ one.provider.name
          }}<span v-if="one.given_at" class="small" :title="exact(one.given_at)">
            · {{ ago(one.given_at, now) }}</span
          >
        </li>
      </ul>
    </template>
    <template #panel>
      <SidePanel v-if="ask" label="Ask for access" @close="go({ ask: '' })">
        <h2 class="pr-6">Ask for access</h2>
        <AskForm class="mt-4" @done="go({ ask: '', what: 'requests' })" />
      </SidePanel>
      <SidePanel
        v-else-if="openOffer.data.value && offer"
        :key="offer"
        :label="`Offer ${offer}`"
        @close="go({ offer: '' })"
      >
        <OfferPanel :offer="openOffer.data.value" :mine="toMe" @changed="openOffer.refetch()" />
      </SidePanel>
      <SidePanel
        v-else-if="openRequest.data.value && request"
        :key="request"
        :label="`Request ${request}`"
        @close="go({ request: '', what: 'requests' })"
      >
        <RequestPanel :request="openRequest.data.value" :mine="mine" @changed="openRequest.refetch()" />
      </SidePanel>
    </template>
  </ListPage>
</template>
