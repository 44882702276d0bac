<script setup lang="ts">
import { computed } from "vue";
import type { Entry } from "@/api/client";
import { useSession } from "@/api/session";
import { axisAround } from "@/charts/strip";
import SpanStrip from "@/charts/SpanStrip.vue";
import StripAxis from "@/charts/StripAxis.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact, lastDay } from "@/ui/time";
import { endedWord, letGo } from "@/ui/ended";
import { parts } from "./parts";
import OutsideMark from "@/ui/OutsideMark.vue";

const props = defineProps<{ entry: Entry; /** whether it is what a page is about */ page?: boolean }>();
const session = useSession();
const { zone } = session;
const mayReach = session.may("parties.reach");
const now = useNow();
const axis = axisAround(Date.now(), Math.min(408, window.innerWidth - 62));

function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}
const MONEY = ["spend", "withdraw"];
const given = computed(() => {
  const e = props.entry;
  if (!e.given_at) return e.given_by ? `given by ${e.given_by}` : "";
  return `given ${day(e.given_at, zone.value)}${e.given_by ? ` by ${e.given_by}` : ""}`;
});
const used = computed(() => {
  const e = props.entry;
  if (e.last_used) return `${day(e.last_used, zone.value)}, ${ago(e.last_used, now.value)}`;
  return e.use_known ? "never" : "the provider does not say";
});
const ends = computed(() => {
  const e = props.entry;
  if (e.ended_at && letGo(e))
    return `not watched since ${day(e.ended_at, zone.value)}: its provider was removed`;
  if (e.ended_at) return `ended ${day(e.ended_at, zone.value)} (${e.end_reason})`;
  if (e.end_unknown) return "unknown";
  return e.ends_at ? lastDay(e.ends_at, zone.value) : "no end";
});
const facts = computed(() => {
  const e = props.entry;
  const all: [string, string, string?][] = [
    ["Address", e.party.addresses.join(", ") || (e.party.kind === "person" ? "none known" : "")],
    ["Publisher", [e.party.publisher, e.party.home].filter(Boolean).join(", ")],
    ["Known there as", e.subject],
    ["Level", `${e.level}${e.permissions.length ? ` (${e.permissions.join("; ")})` : ""}`],
    ["Not known", e.unknown.length ? `what it allows: ${e.unknown.join("; ")}` : ""],
    ["Parts", parts(e.resources), e.resources.join(", ")],
    ["Hours", e.hours ? `${e.hours.text} (${e.hours.zone})` : ""],
    ["Last used", used.value, exact(e.last_used)],
    ["Ends", ends.value, exact(e.ended_at ?? e.ends_at)],
    ["Reviewed", e.reviewed_at.map((at) => day(at, zone.value)).join(", ") || "never"],
    ["Reason", e.basis],
    ["Device", e.device],
    [e.kind === "session" ? "Network" : "Only from", e.network],
    ["Depends on it", e.dependencies.map((one) => one.what).join("; ")],
    [
      "Vouched for",
      e.vouched
        ? `${ago(e.vouched.at, now.value)}, by ${e.vouched.by}${e.vouched.worn_off ? "; too long ago to count" : ""}`
        : "",
      exact(e.vouched?.at),
    ],
    ["Last seen", e.last_seen && !e.by_hand ? ago(e.last_seen, now.value) : "", exact(e.last_seen)],
  ];
  return all.filter(([, value]) => value);
});
</script>

<template>
  <div>
    <p class="small">
      {{ entry.kind === "session" ? "Session" : "Entry" }} {{ entry.ref
      }}<template v-if="given"> · {{ given }}</template>
    </p>
    <component :is="page ? 'h1' : 'h2'" class="mt-2 pr-6">
      <RouterLink v-if="mayReach" :to="`/parties/${entry.party.ref}`" class="hover:underline">{{
        entry.party.name
      }}</RouterLink>
      <template v-else>{{ entry.party.name }}</template>
      <OutsideMark v-if="entry.party.outside" />
    </component>
    <p class="mt-2 text-mute">
      <template v-if="entry.state !== 'live'">{{
        entry.state === "ended" ? `${capital(endedWord(entry))}: ` : `${entry.state}: `
      }}</template>
      {{ entry.kind }} on
      <RouterLink
        v-if="mayReach && !letGo(entry)"
        :to="`/accounts/${entry.account.ref}`"
        class="font-[620] text-ink hover:underline"
        >{{ entry.account.name }}</RouterLink
      >
      <b v-else class="font-[620] text-ink">{{ entry.account.name }}</b>, {{ entry.provider.name }}.
      <template v-if="entry.powers.length">
        {{ entry.state === "ended" && !letGo(entry) ? "Could" : "Can" }}
        <template v-for="(power, place) in entry.powers" :key="power">
          <template v-if="place">{{ place === entry.powers.length - 1 ? " and " : ", " }}</template>
          <b v-if="MONEY.includes(power)" class="font-[620] text-high">{{ power }}</b>
          <template v-else>{{ power }}</template> </template
        >.
      </template>
      <template v-else-if="entry.unknown.length">What it allows is not known yet.</template>
      <template v-else>No power beyond signing in.</template>
      <template v-if="entry.by_hand"> Recorded by hand: no reading shows it.</template>
    </p>
    <div class="mt-4">
      <SpanStrip :entry="entry" :axis="axis" :zone="zone" class="block" />
      <StripAxis :axis="axis" :zone="zone" />
    </div>
    <dl class="mt-4 grid grid-cols-[104px_minmax(0,1fr)] gap-y-[7px]">
      <template v-for="[name, value, title] in facts" :key="name">
        <dt class="text-mute">{{ name }}</dt>
        <dd class="break-words" :title="title">{{ value }}</dd>
      </template>
    </dl>
  </div>
</template>
