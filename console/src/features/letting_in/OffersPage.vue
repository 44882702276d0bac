<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
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

/** Offers and requests: of the whole workspace, or for a member their own. */
const route = useRoute();
const router = useRouter();
const now = useNow();
const session = useSession();
const { zone } = session;
const seesAll = session.may("offers.browse");
const mayOffer = session.may("offers.create");
const said = (name: string): string => {
  const value = route.query[name];
  return typeof value === "string" ? value : "";
};
const mine = computed(() => !seesAll.value || said("whose") === "mine");
const what = computed(() => (said("what") === "requests" || said("request") ? "requests" : "offers"));
const state = computed(() => said("state"));

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
/** What providers show as offered and not taken up: it was made there, and is withdrawn as the entry that it is. */
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
  queryKey: computed(() => ["offers", said("offer")]),
  queryFn: () => take(api.GET("/offers/{offer}", { params: { path: { offer: said("offer") } } })),
  enabled: computed(() => !!said("offer")),
  refetchInterval: (query) => lookAgain(query.state.data ? [query.state.data] : []),
});
const openRequest = useQuery({
  queryKey: computed(() => ["requests", said("request")]),
  queryFn: () => take(api.GET("/requests/{request}", { params: { path: { request: said("request") } } })),
  enabled: computed(() => !!said("request")),
});
const CHOICES: [string, string][] = [
  ["", "all"],
  ["waiting", "waiting"],
  ["taken-up", "taken up"],
  ["declined,lapsed,withdrawn", "not taken up"],
];
function go(query: Record<string, string>): void {
  const kept = { what: said("what"), whose: said("whose"), state: state.value };
  const all = { ...kept, ...query };
  void router.push({ query: Object.fromEntries(Object.entries(all).filter(([, value]) => value)) });
}
const toMe = computed(() => {
  const address = session.me.value?.person.address.toLowerCase();
  return openOffer.data.value?.address === address;
});
const lead = computed(() =>
  mine.value
    ? "What you were offered, and what you have asked for."
    : "Who was offered access and has not come in yet, and who asks for it.",
);
const nothing = computed(() => {
  if (what.value === "requests")
    return mine.value ? "You have asked for nothing." : "Nobody asks for anything.";
  return mine.value ? "Nobody has offered you anything." : "Nothing is offered.";
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
        ? 'Whoever signs in can ask for access here; others by the address /ask of this service.'
        : 'An offer is taken up by a link in a letter; until then it gives nothing.'
    "
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-2 pr-6 text-[13px]">
        <div class="flex gap-1" role="group" aria-label="Offers or requests">
          <button
            v-for="[word, name] in [
              ['', 'Offers'],
              ['requests', `Requests${waiting ? ` (${waiting})` : ''}`],
            ] as const"
            :key="word"
            type="button"
            class="rounded-md px-[10px] py-[6px]"
            :class="(what === 'requests') === (word === 'requests') ? 'bg-wash font-semibold' : 'text-act'"
            :aria-pressed="(what === 'requests') === (word === 'requests')"
            @click="go({ what: word, state: '', offer: '', request: '' })"
          >
            {{ name }}
          </button>
        </div>
        <template v-if="seesAll">
          <button
            type="button"
            class="rounded-md px-[10px] py-[6px]"
            :class="mine ? 'bg-wash font-semibold' : 'text-act'"
            :aria-pressed="mine"
            @click="go({ whose: mine ? '' : 'mine', state: '' })"
          >
            only my own
          </button>
        </template>
        <div v-if="what === 'offers' && !mine" class="ml-3 flex gap-1" role="group" aria-label="Which offers">
          <button
            v-for="[value, name] in CHOICES"
            :key="value"
            type="button"
            class="rounded-md px-[10px] py-[6px]"
            :class="value === state ? 'bg-wash font-semibold' : 'text-act'"
            :aria-pressed="value === state"
            @click="go({ state: value })"
          >
            {{ name }}
          </button>
        </div>
        <span class="ml-auto flex gap-[10px]">
          <button type="button" class="button" @click="go({ ask: 'yes', offer: '', request: '' })">
            Ask for access
          </button>
          <RouterLink v-if="mayOffer" class="button button-act" to="/offers/new">Let somebody in</RouterLink>
        </span>
      </div>
    </template>
    <table v-if="what === 'offers' && items.length" class="w-full min-w-[720px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head w-[170px]">State</th>
          <th class="head min-w-[220px]">To</th>
          <th class="head min-w-[160px]">Of</th>
          <th class="head">Until</th>
          <th class="head">Made</th>
          <th class="head">What for</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="offer in offers.data.value?.items"
          :key="offer.id"
          class="cursor-pointer border-b border-line hover:bg-wash/60"
          :class="offer.ref === said('offer') ? 'bg-wash' : ''"
          @click="go({ offer: offer.ref, request: '', ask: '' })"
        >
          <td class="cell">
            <span :class="offer.state === 'waiting' ? 'font-[620]' : ''">{{ stateOf(offer) }}</span>
          </td>
          <td class="cell">
            <button
              type="button"
              class="text-left font-[620]"
              @click.stop="go({ offer: offer.ref, request: '', ask: '' })"
            >
              {{ offer.name }}
            </button>
            <span class="small block break-words">{{ offer.address }}</span>
          </td>
          <td class="cell">
            <span v-for="part in offer.parts" :key="part.account.id" class="block">
              {{ part.account.name }} <span class="small">“{{ part.level }}”</span>
            </span>
          </td>
          <td class="cell whitespace-nowrap">
            {{ offer.parts[0]?.ends_at ? lastDay(offer.parts[0].ends_at, zone) : "no end" }}
          </td>
          <td class="cell whitespace-nowrap" :title="exact(offer.made_at)">
            {{ ago(offer.made_at, now) }}<span class="small block">{{ offer.made_by }}</span>
          </td>
          <td class="cell text-[13px] text-mute">{{ offer.basis }}</td>
        </tr>
      </tbody>
    </table>
    <table v-else-if="what === 'requests'" class="w-full min-w-[720px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head w-[170px]">State</th>
          <th class="head min-w-[220px]">Who</th>
          <th class="head min-w-[130px]">Account</th>
          <th class="head min-w-[130px]">Asks for</th>
          <th class="head">Until</th>
          <th class="head">Asked</th>
          <th class="head">What for</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="one in requests.data.value?.items"
          :key="one.id"
          class="cursor-pointer border-b border-line hover:bg-wash/60"
          :class="one.ref === said('request') ? 'bg-wash' : ''"
          @click="go({ request: one.ref, offer: '', ask: '' })"
        >
          <td class="cell">
            <span :class="one.state === 'waiting' ? 'font-[620]' : ''">{{ requestState(one) }}</span>
          </td>
          <td class="cell">
            <button
              type="button"
              class="text-left font-[620]"
              @click.stop="go({ request: one.ref, offer: '', ask: '' })"
            >
              {{ one.name }}
            </button>
            <span class="small block break-words">{{ one.address }}</span>
          </td>
          <td class="cell">{{ one.account }}</td>
          <td class="cell">{{ one.level || one.needs.join(", ") }}</td>
          <td class="cell whitespace-nowrap">{{ one.ends_at ? lastDay(one.ends_at, zone) : "no end" }}</td>
          <td class="cell whitespace-nowrap" :title="exact(one.asked_at)">{{ ago(one.asked_at, now) }}</td>
          <td class="cell text-[13px] text-mute">{{ one.reason }}</td>
        </tr>
      </tbody>
    </table>
    <template v-if="shownThere.length">
      <h3 class="section">Offered at the providers themselves</h3>
      <p class="small">As readings show it; who takes it up does so there.</p>
      <ul class="mt-2">
        <li v-for="one in shownThere" :key="one.id" class="border-b border-line py-2">
          <RouterLink
            class="link"
            :to="{ path: '/inventory', query: { entry: one.ref, state: 'offered' } }"
            >{{ one.party.name }}</RouterLink
          >
          <span class="ml-2 text-mute">{{ one.party.addresses.join(", ") }}</span>: “{{ one.level }}” on
          {{ one.account.name }}, {{ one.provider.name
          }}<span v-if="one.given_at" class="small" :title="exact(one.given_at)">
            · {{ ago(one.given_at, now) }}</span
          >
        </li>
      </ul>
    </template>
    <template #panel>
      <SidePanel v-if="said('ask')" label="Ask for access" @close="go({ ask: '' })">
        <h2 class="pr-6">Ask for access</h2>
        <AskForm class="mt-4" @done="go({ ask: '', what: 'requests' })" />
      </SidePanel>
      <SidePanel
        v-else-if="openOffer.data.value && said('offer')"
        :key="said('offer')"
        :label="`Offer ${said('offer')}`"
        @close="go({ offer: '' })"
      >
        <OfferPanel :offer="openOffer.data.value" :mine="toMe" @changed="openOffer.refetch()" />
      </SidePanel>
      <SidePanel
        v-else-if="openRequest.data.value && said('request')"
        :key="said('request')"
        :label="`Request ${said('request')}`"
        @close="go({ request: '', what: 'requests' })"
      >
        <RequestPanel :request="openRequest.data.value" :mine="mine" @changed="openRequest.refetch()" />
      </SidePanel>
    </template>
  </ListPage>
</template>
