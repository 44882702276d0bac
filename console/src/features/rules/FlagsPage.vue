<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";
import { api, take, type Flag } from "@/api/client";
import { useSession } from "@/api/session";
import EntryPanel from "@/features/inventory/EntryPanel.vue";
import ListPage from "@/ui/ListPage.vue";
import type { Severity } from "@/ui/notch";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { day, exact, lastDay } from "@/ui/time";
import FlagDetails from "./FlagDetails.vue";
import { grouped } from "./grouped";
import { usePages } from "@/ui/usePages";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";
import { useQueryParams } from "@/ui/useQueryParams";

const GROUPS = [
  ["", "by rule"],
  ["account", "by account"],
] as const;
const STATES: [string, string][] = [
  ["", "to look at"],
  ["accepted", "accepted"],
  ["cleared", "cleared"],
];
const { zone } = useSession();
const { param, changed, go } = useQueryParams();
const state = param("state") as ComputedRef<"" | "accepted" | "cleared">;
const grouping = param("by");
const by = computed(() => (grouping.value === "account" ? "account" : "rule"));
const rule = param("rule");
const severity = param("severity") as ComputedRef<"" | Severity>;
const open = param("flag");

const {
  items: flags,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["flags", "list", state.value, rule.value, severity.value],
  (cursor) =>
    take(
      api.GET("/flags", {
        params: {
          query: {
            state: state.value || "standing",
            rule: rule.value,
            severity: severity.value || undefined,
            limit: 500,
            cursor,
          },
        },
      }),
    ),
);
const groups = computed(() => grouped(flags.value, by.value));
const shown = computed(() => flags.value.find((flag) => flag.ref === open.value));
const { data: rules } = useQuery({ queryKey: ["rules"], queryFn: () => take(api.GET("/rules")) });
const lead = computed(() => {
  const raised = rules.value?.items.filter((one) => one.standing > one.accepted) ?? [];
  const count = raised.reduce((sum, one) => sum + one.standing - one.accepted, 0);
  return rules.value ? `${count} flags by ${raised.length} rules are waiting for someone to look.` : "";
});

/** Another list of flags, none of them open. */
function to(change: Record<string, string>) {
  return changed({ flag: "", ...change });
}
function show(flag: Flag | undefined): void {
  go({ flag: flag?.ref ?? "" });
}
</script>

<template>
  <ListPage
    title="Flags"
    :lead="lead"
    :error="error"
    :pending="isPending"
    :empty="!flags.length"
    :nothing="
      state === 'accepted'
        ? 'There are no accepted flags.'
        : state
          ? 'There are no cleared flags yet.'
          : 'Nothing is stale or risky by the rules of your policy.'
    "
    hint="Flags are raised by the rules of your policy whenever something changes."
    :more="hasMore"
    more-text="More flags"
    @more="more"
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-x-4 gap-y-2 pr-6 text-plain">
        <SegmentedButtons
          label="Which flags"
          :choices="STATES"
          :chosen="state"
          @choose="(value) => go({ flag: '', state: value })"
        />
        <SegmentedButtons
          label="Group by"
          :choices="GROUPS"
          :chosen="by === 'rule' ? '' : by"
          @choose="(value) => go({ flag: '', by: value })"
        />
        <label class="flex items-center gap-2">
          <span class="text-mute">at least</span>
          <select
            class="field"
            :value="severity"
            @change="go({ flag: '', severity: ($event.target as HTMLSelectElement).value })"
          >
            <option value="">low</option>
            <option>medium</option>
            <option>high</option>
            <option>critical</option>
          </select>
        </label>
        <RouterLink v-if="rule" class="rounded-full border border-rule px-3 py-1" :to="to({ rule: '' })"
          >{{ rule }} <span aria-hidden="true">×</span
          ><span class="sr-only">: all rules again</span></RouterLink
        >
        <span class="ml-auto font-mono text-small text-mute"
          >openlatch flags{{ state ? ` --${state}` : "" }}{{ rule ? ` --rule ${rule}` : ""
          }}{{ severity ? ` --severity ${severity}` : "" }}</span
        >
      </div>
    </template>
    <details
      v-for="group in groups"
      :key="group.name"
      class="border-b border-line py-[10px]"
      :open="groups.length < 4 || group.worst > 3"
    >
      <summary class="flex cursor-pointer list-none items-baseline gap-3">
        <SeverityNotch :severity="group.severity" :height="18" class="translate-y-[3px]" />
        <span class="font-[620]">{{ group.title }}</span>
        <span class="small tabular-nums">{{ group.flags.length }}</span>
        <span v-if="by === 'rule'" class="small ml-auto font-mono">{{ group.name }}</span>
      </summary>
      <ul class="mt-1 ml-[21px]">
        <li v-for="flag in group.flags" :key="flag.id" class="border-t border-line first:border-t-0">
          <button
            type="button"
            class="grid w-full grid-cols-[14px_minmax(150px,330px)_minmax(0,1fr)_auto] items-baseline gap-x-3 py-[6px] text-left hover:bg-wash/60 max-md:grid-cols-[14px_1fr]"
            :class="flag.ref === open ? 'bg-wash' : ''"
            @click="show(flag)"
          >
            <SeverityNotch :severity="flag.severity" :height="15" class="translate-y-[2px]" />
            <span class="truncate font-[560]">{{ flag.about.name }}</span>
            <span class="text-mute max-md:col-start-2">{{ flag.reason }}</span>
            <span class="small whitespace-nowrap max-md:hidden" :title="exact(flag.raised_at)">
              <template v-if="flag.accepted">until {{ lastDay(flag.accepted.until, zone) }}</template>
              <template v-else-if="flag.cleared_at">cleared {{ day(flag.cleared_at, zone) }}</template>
              <template v-else-if="flag.subject === 'entry'">risk {{ flag.risk }}</template>
            </span>
          </button>
        </li>
      </ul>
    </details>
    <template #panel>
      <EntryPanel
        v-if="shown?.subject === 'entry'"
        :key="open"
        :entry-ref="shown.about.ref"
        @close="show(undefined)"
      />
      <SidePanel
        v-else-if="shown"
        :key="shown.id"
        :label="`Flag on ${shown.about.name}`"
        @close="show(undefined)"
      >
        <p class="small">
          Flag {{ shown.ref }}, on {{ shown.subject === "account" ? "an account" : "a party" }}
        </p>
        <h2 class="mt-2 pr-6">
          <RouterLink
            class="hover:underline"
            :to="`/${shown.subject === 'account' ? 'accounts' : 'parties'}/${shown.about.ref}`"
            >{{ shown.about.name }}</RouterLink
          >
        </h2>
        <p class="mt-3 flex gap-3">
          <SeverityNotch :severity="shown.severity" /><span>{{ shown.reason }}</span>
        </p>
        <FlagDetails :flag="shown" class="mt-4" />
        <p class="mt-4 font-mono text-small text-mute">openlatch flag explain {{ shown.ref }}</p>
      </SidePanel>
    </template>
  </ListPage>
</template>
