<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ReachMap from "@/charts/ReachMap.vue";
import SpanStrip from "@/charts/SpanStrip.vue";
import StripAxis from "@/charts/StripAxis.vue";
import { axisAround } from "@/charts/strip";
import type { Step } from "@/charts/reach";
import ActivityList from "@/features/inventory/activity/ActivityList.vue";
import EventList from "@/features/record/EventList.vue";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import PageTabs from "@/ui/PageTabs.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import RiskLines from "@/ui/RiskLines.vue";
import PartyKeys from "./PartyKeys.vue";
import PartyTeams from "./PartyTeams.vue";
import SmallestCut from "./SmallestCut.vue";
import { quoted } from "@/ui/command";

const route = useRoute();
const session = useSession();
const { zone } = session;
const mayLeave = session.may("leavers.plan");
const maySponsor = session.may("parties.sponsor");
const mayMark = session.may("parties.service");
const people = useQuery({
  queryKey: ["people"],
  queryFn: () => take(api.GET("/people")),
  enabled: maySponsor,
});
const queries = useQueryClient();
const sponsor = useMutation({
  mutationFn: (id: string) =>
    take(
      api.PUT("/parties/{party}/sponsor", {
        params: { path: { party: wanted.value } },
        body: { address: people.data.value?.items.find((one) => one.id === id)?.address ?? "" },
      }),
    ),
  onSettled: () => queries.invalidateQueries({ queryKey: ["parties"] }),
});
const service = useMutation({
  mutationFn: (marked: boolean) =>
    take(
      api.PUT("/parties/{party}/service", {
        params: { path: { party: wanted.value } },
        body: { service: marked },
      }),
    ),
  // Flags come and go with it, wherever they are shown.
  onSettled: () => queries.invalidateQueries(),
});
const wanted = computed(() => String(route.params.party));
const TABS = [
  ["reach", "Access"],
  ["activity", "Activity"],
  ["teams", "Teams"],
  ["known", "Known as"],
  ["history", "History"],
] as const;
const shown = computed(() => TABS.find(([tab]) => tab === route.query.show)?.[0] ?? "reach");
const axis = axisAround(Date.now(), 246);

const { data: reach, error } = useQuery({
  queryKey: computed(() => ["parties", "reach", wanted.value]),
  queryFn: () => take(api.GET("/parties/{party}/reach", { params: { path: { party: wanted.value } } })),
});
const { data: risk } = useQuery({
  queryKey: computed(() => ["parties", "risk", wanted.value]),
  queryFn: () => take(api.GET("/parties/{party}/risk", { params: { path: { party: wanted.value } } })),
});
const riskLines = computed(() =>
  (risk.value?.shares ?? []).map((one) => ({
    says: `${one.entry.name}, at ${one.risk}`,
    points: one.points,
  })),
);
const party = computed(() => reach.value?.party);
const alike = useQuery({
  queryKey: computed(() => ["parties", "alike", wanted.value]),
  queryFn: () => take(api.GET("/perhaps-the-same", { params: { query: { party: wanted.value } } })),
});
const chains = computed(() => reach.value?.chains ?? []);
const steps = computed<Step[]>(() =>
  chains.value.map(({ entry, via }) => {
    const last = via.at(-1);
    const what =
      last?.how === "app"
        ? "app they connected"
        : last?.how === "open"
          ? "open to them"
          : via.length > 1
            ? `team, through ${via.at(-2)?.party.name}`
            : "team";
    return {
      way: last ? { id: last.party.id, name: last.party.name, what } : null,
      account: { id: entry.account.id, name: entry.account.name, what: entry.provider.name },
      powers: entry.powers,
    };
  }),
);
const accounts = computed(() => [...new Set(chains.value.map(({ entry }) => entry.account.name))]);
const sub = computed(() => {
  const ways = chains.value.length;
  const to = accounts.value.length;
  return `${ways} ${ways === 1 ? "way" : "ways"} in, to ${to} ${to === 1 ? "account" : "accounts"}`;
});
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8" aria-label="Party" tabindex="0">
    <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/parties">All parties</RouterLink>
    </ProblemNote>
    <p v-else-if="!party" class="mt-8 text-mute" role="status">Working out what this party can do…</p>
    <template v-else>
      <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
        <div>
          <p class="small"><RouterLink class="link" to="/parties">Parties</RouterLink> · {{ party.ref }}</p>
          <h1 class="mt-1">{{ party.name }}</h1>
          <p class="mt-[5px] text-mute">
            {{ party.service ? "service account" : party.kind
            }}<template v-if="party.outside">, outside the circle</template
            ><b v-if="party.status === 'left'" class="font-semibold text-high">, has left</b> ·
            {{ party.addresses.join(", ") || "no address known" }}
            <template v-if="party.publisher"> · published by {{ party.publisher }}</template>
          </p>
          <p v-if="alike.data.value?.items.length" class="mt-2">
            <RouterLink class="link" :to="{ path: route.path, query: { show: 'known' } }"
              >Perhaps the same as
              {{
                alike.data.value.items
                  .map((pair) => (pair.one.party.id === party?.id ? pair.other : pair.one).party.name)
                  .join(", ")
              }}</RouterLink
            >
          </p>
          <label v-if="maySponsor" class="mt-2 flex items-center gap-2 text-plain">
            <span class="text-mute">Sponsor</span>
            <select
              class="field"
              :value="party.sponsor ?? ''"
              :disabled="sponsor.isPending.value"
              @change="sponsor.mutate(($event.target as HTMLSelectElement).value)"
            >
              <option value="">nobody</option>
              <option v-for="one in people.data.value?.items" :key="one.id" :value="one.id">
                {{ one.name }}
              </option>
            </select>
          </label>
          <ProblemNote v-if="sponsor.error.value" :error="sponsor.error.value" class="mt-2 max-w-xl" />
          <label v-if="mayMark && party.kind === 'person'" class="mt-2 flex items-center gap-2 text-plain">
            <input
              type="checkbox"
              :checked="party.service"
              :disabled="service.isPending.value"
              @change="service.mutate(($event.target as HTMLInputElement).checked)"
            />
            A program signs in with it, and no person: rules about people leave it alone
          </label>
          <ProblemNote v-if="service.error.value" :error="service.error.value" class="mt-2 max-w-xl" />
          <RiskLines
            v-if="risk"
            class="mt-2"
            :risk="risk.risk"
            :lines="riskLines"
            of="risk of all that it holds itself"
            label="Risk"
          />
        </div>
        <div class="text-right">
          <FreshnessNote />
          <RouterLink
            v-if="mayLeave && party.kind === 'person'"
            class="button mt-2 inline-block"
            :to="`/parties/${party.ref}/leaving`"
            >Start leaving…</RouterLink
          >
        </div>
      </header>
      <PageTabs class="mt-4" label="Party" :tabs="TABS" :shown="shown" />
      <ActivityList v-if="shown === 'activity'" class="mt-4" :party="party.ref" />
      <PartyTeams
        v-else-if="shown === 'teams'"
        class="mt-4"
        :party="party.ref"
        :name="party.name"
        :kind="party.kind"
      />
      <PartyKeys v-else-if="shown === 'known'" class="mt-4" :party="party.ref" :name="party.name" />
      <div
        v-else-if="shown === 'history'"
        class="mt-4 overflow-x-auto"
        tabindex="0"
        role="region"
        aria-label="history"
      >
        <EventList :party="party.ref" />
      </div>
      <p v-else-if="!chains.length" class="mt-8">This party has no access, as far as is known.</p>
      <template v-else>
        <ReachMap class="mt-4" :name="party.name" :sub="sub" :steps="steps" />
        <SmallestCut :party="party.ref" :name="party.name" :accounts="accounts" class="mt-6 max-w-3xl" />
        <h3 class="section">Every way in</h3>
        <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Every way in">
          <table class="w-full min-w-[820px] border-collapse text-left">
            <thead class="text-small text-mute">
              <tr class="border-b border-rule">
                <th class="head">Where</th>
                <th class="head">As</th>
                <th class="head">Through</th>
                <th class="head">Powers</th>
                <th class="head"><StripAxis :axis="axis" :zone="zone" /></th>
                <th class="head">Ending it alone</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="{ entry, via, loses, idle } in chains" :key="entry.id" class="border-b border-line">
                <td class="cell">
                  <RouterLink class="font-[620] hover:underline" :to="`/entries/${entry.ref}`">
                    {{ entry.account.name }}
                  </RouterLink>
                  <span class="small block">{{ entry.provider.name }}</span>
                </td>
                <td class="cell">
                  {{ entry.kind }}<span class="small block">{{ entry.level }}</span>
                </td>
                <td class="cell">{{ via.map((one) => one.party.name).join(" → ") || "directly" }}</td>
                <td class="cell pt-3">
                  <PowerMarks :held="entry.powers" :used="entry.used_powers" :unknown="entry.unknown" />
                </td>
                <td class="cell"><SpanStrip :entry="entry" :axis="axis" :zone="zone" /></td>
                <td class="cell text-plain text-mute">
                  {{
                    loses.length
                      ? `takes away ${loses.join(", ")}`
                      : idle
                        ? "changes nothing: it has the same in another way"
                        : "takes away powers whose meaning is not known"
                  }}
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
      <p class="mt-5 font-mono text-small text-mute">
        openlatch party reach {{ quoted(party.addresses[0] ?? party.ref) }}
      </p>
    </template>
  </section>
</template>
