<script setup lang="ts">
import { computed, ref } from "vue";
import type { ProposalOutcome, Shift } from "@/api/client";
import ShiftMap from "@/charts/ShiftMap.vue";
import type { Change } from "@/charts/shifts";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { useNow } from "@/ui/clock";
import { ago } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "who", title: "Who", class: "min-w-[190px]" },
  { key: "on", title: "On", class: "min-w-[190px]" },
  { key: "gains", title: "Gains" },
  { key: "loses", title: "Loses", class: "min-w-[140px]" },
];

/** What a proposal would change: in sentences, as a map, and line by line. */
const props = defineProps<{ outcome: ProposalOutcome }>();
const now = useNow();
/** One line for each of those who gain or lose something on an account, on whichever of its parts. */
const changes = computed(() => {
  const found = new Map<string, Change>();
  const powers = (more: Shift["gained"], before: readonly string[] = []): string[] => [
    ...new Set([...before, ...more.flatMap((ability) => ability.powers)]),
  ];
  for (const one of props.outcome.shifts) {
    const who = { id: one.party || one.who, name: one.who };
    const key = `${who.id}/${one.account.id}`;
    const there = found.get(key);
    found.set(key, {
      who,
      outside: one.outside,
      account: one.account,
      gained: powers(one.gained, there?.gained),
      lost: powers(one.lost, there?.lost),
    });
  }
  return [...found.values()];
});
function can(ability: Shift["gained"][number]): string {
  const limits = [
    ability.in_part ? "in part" : "",
    ability.hours,
    ability.networks.length ? `from ${ability.networks.join(", ")}` : "",
    ability.but.length ? `from anywhere but ${ability.but.join(", ")}` : "",
    ability.witness,
  ].filter(Boolean);
  return ability.powers.join(", ") + (limits.length ? ` (${limits.join(", ")})` : "");
}
const every = ref(false);
const FEW = 12;
const lines = computed(() => (every.value ? props.outcome.shifts : props.outcome.shifts.slice(0, FEW)));
</script>

<template>
  <div>
    <p
      class="border-l-4 pl-3 text-lead font-[620]"
      :class="outcome.outsiders_gain ? 'border-high' : 'border-good'"
    >
      {{
        outcome.outsiders_gain
          ? "Someone from outside would gain access."
          : "Nobody from outside would gain access."
      }}
    </p>
    <ul v-if="outcome.limits.length" class="mt-3 grid gap-1">
      <li v-for="one in outcome.limits" :key="one" class="border-l-2 border-critical pl-3 font-[620]">
        {{ one }}
      </li>
    </ul>
    <ShiftMap v-if="changes.length" :changes="changes" class="mt-5" />
    <p v-else class="mt-4 text-mute">Nobody would gain or lose access.</p>
    <DataTable
      v-if="lines.length"
      class="mt-4 max-w-[980px] text-plain"
      :columns="COLUMNS"
      :rows="lines"
      :key-of="(_, place) => place"
    >
      <template #who="{ row: one }">
        <RouterLink v-if="one.party" class="font-[620] hover:underline" :to="`/parties/${one.party}`">{{
          one.who
        }}</RouterLink>
        <b v-else class="font-[620]">{{ one.who }}</b>
        <span v-if="one.outside" class="small block text-high">outside the circle</span>
      </template>
      <template #on="{ row: one }"
        >{{ one.account.name }}
        <span v-if="one.resources.length" class="small block">
          {{ one.resources.slice(0, 3).join(", ")
          }}{{ one.resources.length > 3 ? ` and ${one.resources.length - 3} more` : "" }}
        </span>
      </template>
      <template #gains="{ row: one }">
        <span v-for="ability in one.gained" :key="can(ability)" class="block font-[620]">{{
          can(ability)
        }}</span>
      </template>
      <template #loses="{ row: one }">
        <s v-for="ability in one.lost" :key="can(ability)" class="block text-mute">{{ can(ability) }}</s>
      </template>
    </DataTable>
    <button
      v-if="outcome.shifts.length > FEW"
      type="button"
      class="link mt-2 text-plain"
      @click="every = !every"
    >
      {{ every ? "Only the first" : `All ${outcome.shifts.length}` }}
    </button>
    <p v-if="outcome.more_shifts" class="small">{{ outcome.more_shifts }} more were left out.</p>
    <div class="mt-5 grid max-w-[980px] grid-cols-2 gap-x-10 gap-y-5 max-md:grid-cols-1">
      <section
        v-for="[title, flags] in [
          ['Flags raised', outcome.flags_raised],
          ['Flags cleared', outcome.flags_cleared],
        ] as const"
        :key="title"
      >
        <h3 class="section">
          {{ title }} <span class="small">{{ flags.length }}</span>
        </h3>
        <p v-if="!flags.length" class="text-plain text-mute">None.</p>
        <ul v-else class="grid gap-2 text-plain">
          <li v-for="flag in flags.slice(0, 10)" :key="flag.rule + flag.reason" class="flex gap-3">
            <SeverityNotch :severity="flag.severity" class="shrink-0" />
            <span
              >{{ flag.reason }}<span class="small block">{{ flag.about }}</span></span
            >
          </li>
          <li v-if="flags.length > 10" class="text-mute">and {{ flags.length - 10 }} more</li>
        </ul>
      </section>
      <section v-if="outcome.risks.length">
        <h3 class="section">Risk</h3>
        <ul class="grid gap-1 text-plain">
          <li
            v-for="risk in outcome.risks.slice(0, 10)"
            :key="risk.subject + risk.about"
            class="flex justify-between gap-4 border-b border-line py-1"
          >
            <span>{{ risk.about }}</span>
            <span class="tabular-nums" :class="risk.after > risk.before ? 'font-[620] text-high' : ''"
              >{{ risk.before }} → {{ risk.after }}</span
            >
          </li>
        </ul>
      </section>
      <section v-if="outcome.policy.length">
        <h3 class="section">Policy</h3>
        <ul class="grid gap-1 text-plain">
          <li v-for="one in outcome.policy" :key="one">{{ one }}</li>
        </ul>
      </section>
    </div>
    <p class="small mt-5">
      <span
        v-for="one in outcome.read_at"
        :key="one.provider"
        class="mr-4"
        :class="one.stale ? 'font-semibold text-high' : ''"
      >
        {{ one.provider }}: as it was read {{ one.read_at ? ago(one.read_at, now) : "never" }}
      </span>
    </p>
  </div>
</template>
