<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import EntryPanel from "@/features/inventory/EntryPanel.vue";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import FirstSteps from "./FirstSteps.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact, lastDay } from "@/ui/time";
import { endingWithin, LOOKED_AT, sentences } from "./today";
import { useQueryParams } from "@/ui/useQueryParams";
import { several } from "@/ui/words";

const router = useRouter();
const { zone, me } = useSession();
const now = useNow();
const open = useQueryParams().param("entry");
const FEW = 12;
const AHEAD = 21;

const first = useQuery({
  queryKey: ["entries", "today"],
  queryFn: () =>
    take(api.GET("/entries", { params: { query: { flagged: true, sort: "risk", limit: FEW } } })),
});
const others = useQuery({
  queryKey: ["flags", "today"],
  queryFn: () =>
    take(api.GET("/flags", { params: { query: { subject: "account", severity: "medium", limit: 20 } } })),
});
const ending = useQuery({
  queryKey: ["entries", "ending"],
  queryFn: () => take(api.GET("/entries", { params: { query: { ends: "dated", sort: "ends", limit: 30 } } })),
});
const summary = useQuery({
  queryKey: ["entries", "summary", {}],
  queryFn: () => take(api.GET("/entries/summary")),
});
const orders = useQuery({
  queryKey: ["orders", "open"],
  queryFn: () => take(api.GET("/orders", { params: { query: { state: "waiting,running,told,stuck" } } })),
});
const rounds = useQuery({
  queryKey: ["rounds", "open"],
  queryFn: () => take(api.GET("/rounds", { params: { query: { state: "open" } } })),
});
const asked = computed(() => rounds.data.value?.items.filter((one) => one.mine) ?? []);
const fresh = useQuery({
  queryKey: ["flags", "fresh"],
  queryFn: () => take(api.GET("/log", { params: { query: { limit: LOOKED_AT } } })),
});
const entries = computed(() => first.data.value?.items ?? []);
const soon = computed(() => endingWithin(ending.data.value?.items ?? [], now.value, AHEAD));
const stuck = computed(() => orders.data.value?.items.filter((one) => one.state === "stuck") ?? []);
const raised = computed(() => {
  const since = now.value - 24 * 3_600_000;
  const events = fresh.data.value?.items.map((event) => event.content) ?? [];
  return sentences(events, since);
});
const greeting = computed(() => {
  const s = summary.data.value;
  if (!s) return "";
  if (!s.entries) return "Nothing is known yet of who can use your accounts.";
  if (!s.flagged)
    return `${several(s.entries, "entry", "entries")} on ${several(s.accounts, "account")}, and nothing is flagged.`;
  return `${s.flagged} of ${several(s.entries, "entry", "entries")} ${s.flagged === 1 ? "has" : "have"} a flag, ${s.severe} of them high or critical.`;
});
function show(entry: string): void {
  void router.push({ query: entry ? { entry } : {} });
}
</script>

<template>
  <section class="flex h-full flex-col overflow-y-auto pt-5 pr-6 pb-10 pl-[26px]" aria-label="Today">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
      <div>
        <h1>Today</h1>
        <p class="mt-[5px] min-h-5 text-mute">{{ greeting }}</p>
      </div>
      <FreshnessNote />
    </header>
    <ProblemNote v-if="first.error.value" :error="first.error.value" class="mt-8 max-w-xl" />
    <FirstSteps v-if="summary.data.value" :summary="summary.data.value" />
    <div
      v-if="summary.data.value?.entries"
      class="mt-5 grid grid-cols-[minmax(0,1fr)_300px] gap-x-10 max-lg:grid-cols-1"
    >
      <div>
        <h2 class="text-title!">What to look at first</h2>
        <p class="small mt-1">By risk: the most harmful first.</p>
        <ol class="mt-3">
          <li v-for="entry in entries" :key="entry.id" class="border-t border-line">
            <button
              type="button"
              class="grid w-full grid-cols-[38px_14px_minmax(0,1fr)] items-baseline gap-x-3 py-[9px] text-left hover:bg-wash/60"
              :class="entry.ref === open ? 'bg-wash' : ''"
              @click="show(entry.ref)"
            >
              <span class="text-right text-lead font-[620] tabular-nums"
                ><span class="sr-only">risk </span>{{ entry.risk }}</span
              >
              <SeverityNotch
                v-if="entry.flags[0]"
                :severity="entry.flags[0].severity"
                :height="17"
                class="translate-y-[3px]"
              />
              <span>
                <b class="font-[620]">{{ entry.party.name }}</b>
                <span class="text-mute"> on {{ entry.account.name }}, {{ entry.provider.name }}</span>
                <span class="block">{{ entry.flags[0]?.reason }}</span>
                <span v-if="entry.flags.length > 1" class="small">
                  and {{ entry.flags.length - 1 }} more
                  {{ entry.flags.length === 2 ? "flag" : "flags" }}</span
                >
              </span>
            </button>
          </li>
        </ol>
        <p v-if="first.isPending.value" class="mt-4 text-mute" role="status">Loading…</p>
        <p v-else-if="!entries.length" class="mt-4">Nothing is stale or risky by the rules of your policy.</p>
        <p v-else class="mt-3">
          <RouterLink class="link" to="/inventory?flagged=true&sort=risk"
            >All flagged entries by risk</RouterLink
          >
          ·
          <RouterLink class="link" to="/flags">all flags by rule</RouterLink>
        </p>
      </div>
      <div class="max-lg:mt-8">
        <template v-if="asked.length">
          <h3 class="section mt-0!">Waiting for you</h3>
          <p v-for="round in asked" :key="round.id" class="mb-2 text-plain">
            <RouterLink class="link" :to="`/rounds/${round.ref}`">{{ round.review.name }}</RouterLink>:
            {{ round.mine }} {{ round.mine === 1 ? "item" : "items" }}, due
            <span :title="exact(round.due_at)">{{ day(round.due_at, zone) }}</span>
          </p>
        </template>
        <template v-if="stuck.length">
          <h3 class="section" :class="asked.length ? '' : 'mt-0!'">Orders that need a person</h3>
          <p v-for="order in stuck" :key="order.id" class="mb-2 text-plain">
            <RouterLink class="link" :to="{ path: '/orders', query: { order: order.ref } }"
              >{{ order.party }} on {{ order.account }}</RouterLink
            >: {{ order.why }}
          </p>
        </template>
        <h3 class="section" :class="stuck.length || asked.length ? '' : 'mt-0!'">Accounts with flags</h3>
        <ul class="text-plain">
          <li v-for="flag in others.data.value?.items ?? []" :key="flag.id" class="mb-[9px] flex gap-2">
            <SeverityNotch :severity="flag.severity" :height="15" class="translate-y-[2px] self-start" />
            <RouterLink class="hover:underline" :to="`/accounts/${flag.about.ref}`">{{
              flag.reason
            }}</RouterLink>
          </li>
        </ul>
        <p v-if="others.data.value && !others.data.value.items.length" class="small">None now.</p>
        <h3 class="section">Ends within {{ AHEAD }} days</h3>
        <ul class="text-plain">
          <li v-for="entry in soon" :key="entry.id" class="mb-[7px]">
            <button type="button" class="text-left hover:underline" @click="show(entry.ref)">
              {{ entry.party.name }} on {{ entry.account.name }}
            </button>
            <span class="small block" :title="exact(entry.ends_at)">{{ lastDay(entry.ends_at, zone) }}</span>
          </li>
        </ul>
        <p v-if="ending.isPending.value" class="small">Loading…</p>
        <p v-else-if="!soon.length" class="small">Nothing ends in the next {{ AHEAD }} days.</p>
        <h3 class="section">New in the last day</h3>
        <ul class="text-plain">
          <li v-for="one in raised" :key="one.text" class="mb-[5px]">{{ one.text }}</li>
        </ul>
        <p v-if="fresh.isPending.value" class="small">Loading…</p>
        <p v-else-if="!raised.length" class="small">
          Nothing has changed since {{ day(new Date(now - 86_400_000).toISOString(), zone) }}.
        </p>
        <p v-else class="small" :title="exact(raised[0]?.at)">
          The latest {{ raised[0] ? ago(raised[0].at, now) : "" }}.
          <RouterLink v-if="me" class="link" to="/log">All in the log</RouterLink>
        </p>
      </div>
    </div>
    <EntryPanel v-if="open" :key="open" :entry-ref="open" @close="show('')" />
  </section>
</template>
