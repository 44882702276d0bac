<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { SEVERITIES } from "@/api/words";
import AccountField from "@/features/inventory/AccountField.vue";
import PartyField from "@/features/inventory/PartyField.vue";
import DateField from "@/ui/DateField.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import WhenKnown from "@/ui/WhenKnown.vue";
import { day, exact, plainDay } from "@/ui/time";
import { several } from "@/ui/words";
import DraftBar from "./DraftBar.vue";
import RuleCondition from "./RuleCondition.vue";
import { ruleChange, useDraft } from "./useDraft";

/** One rule: what it finds and why, whom it flags now, what it leaves alone, and turning it up, down or off. */
const route = useRoute();
const { zone } = useSession();
const id = computed(() => String(route.params.rule));
const rules = useQuery({ queryKey: ["rules"], queryFn: () => take(api.GET("/rules")) });
const catalogue = useQuery({
  queryKey: ["policy", "catalogue"],
  queryFn: () => take(api.GET("/policy/catalogue")),
  staleTime: Infinity,
});
const flags = useQuery({
  queryKey: computed(() => ["flags", "of", id.value]),
  queryFn: () => take(api.GET("/flags", { params: { query: { rule: id.value, limit: 8 } } })),
});
const rule = computed(() => rules.data.value?.items.find((one) => one.id === id.value));
const { trial, change } = useDraft();
/** What is said of it in the draft, as far as that was changed here. */
const said = reactive<{ off?: boolean; severity?: string }>({});
const line = computed(() => trial.value?.lines.find((one) => one.rule === id.value));
const changing = ref(false);
const when = ref("");
watch(
  rule,
  (found) => {
    when.value = found?.when ?? "";
  },
  { immediate: true },
);
const excepting = ref(false);
const exception = reactive({ party: "", account: "", reason: "", until: "" });

function turn(off: boolean): void {
  said.off = off;
  change.mutate([ruleChange(id.value, { off })]);
}
function grade(severity: string): void {
  said.severity = severity;
  change.mutate([ruleChange(id.value, { severity: severity as (typeof SEVERITIES)[number] })]);
}
function rewrite(): void {
  change.mutate([ruleChange(id.value, { when: when.value })], {
    onSuccess: () => (changing.value = false),
  });
}
function except(): void {
  change.mutate(
    [
      {
        do: "exempt",
        rule: id.value,
        ...exception,
        until: exception.until || null,
        provider: "",
        tag: "",
      },
    ],
    {
      onSuccess: () => {
        excepting.value = false;
        Object.assign(exception, { party: "", account: "", reason: "", until: "" });
      },
    },
  );
}
const off = computed(() => said.off ?? rule.value?.off ?? false);
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4" aria-label="Rule" tabindex="0">
    <p class="small"><RouterLink class="link" to="/policy">Policy</RouterLink> · {{ id }}</p>
    <WhenKnown :error="rules.error.value" :pending="rules.isPending.value">
      <template v-if="!rule">
        <h1 class="mt-1">There is no rule “{{ id }}”</h1>
        <p class="mt-2 text-mute">The policy in force has no rule of that name.</p>
      </template>
      <template v-else>
        <h1 class="mt-1" :class="off ? 'text-mute' : ''">{{ rule.title }}</h1>
        <p class="mt-2 max-w-2xl text-lead">{{ rule.why }}</p>
        <DraftBar />
        <ProblemNote v-if="change.error.value" :error="change.error.value" class="mt-3 max-w-xl" />
        <div class="mt-4 grid grid-cols-[minmax(0,1fr)_minmax(0,380px)] gap-x-12 max-lg:grid-cols-1">
          <div>
            <div class="flex flex-wrap items-end gap-x-6 gap-y-3">
              <FormField label="Severity">
                <select
                  class="field"
                  :value="said.severity ?? rule.severity"
                  @change="grade(($event.target as HTMLSelectElement).value)"
                >
                  <option v-for="one in SEVERITIES" :key="one">{{ one }}</option>
                </select>
              </FormField>
              <label v-if="!rule.apart" class="inline-flex items-center gap-2 pb-2">
                <input
                  type="checkbox"
                  :checked="!off"
                  @change="turn(!($event.target as HTMLInputElement).checked)"
                />
                it raises flags
              </label>
              <b v-if="line && (line.appear || line.go)" class="pb-2 font-[620]"
                >+{{ line.appear }} −{{ line.go }} flags</b
              >
            </div>
            <p v-for="worse in rule.worse" :key="worse.when" class="small mt-2">
              {{ worse.severity }} where <code class="font-mono">{{ worse.when }}</code>
            </p>
            <h2 class="section text-title!">It is true of an {{ rule.applies_to }} where</h2>
            <pre v-if="!changing" class="font-mono text-small whitespace-pre-wrap">{{ rule.when }}</pre>
            <button v-if="!changing && !rule.apart" type="button" class="link mt-2" @click="changing = true">
              Change the condition
            </button>
            <form v-if="changing" class="mt-2" @submit.prevent="rewrite">
              <RuleCondition
                v-model="when"
                written
                :fields="catalogue.data.value?.items ?? []"
                :applies-to="rule.applies_to"
              />
              <div class="mt-3 flex gap-3">
                <button type="submit" class="button" :disabled="!when || change.isPending.value">
                  See what that changes
                </button>
                <button type="button" class="link" @click="changing = false">Cancel</button>
              </div>
            </form>
            <h2 class="section text-title!">It says</h2>
            <p v-for="reason in rule.reason" :key="reason">{{ reason }}</p>
            <p class="mt-2 text-mute">It is cleared so: {{ rule.clears }}</p>
            <h2 class="section text-title!">Exceptions</h2>
            <p v-if="!rule.exempt.length" class="text-mute">
              {{
                rule.apart
                  ? "It follows from powers that must not meet in one hand; exceptions are made of its flags, by accepting them."
                  : "None: it looks at everything."
              }}
            </p>
            <ul v-else>
              <li
                v-for="(one, place) in rule.exempt"
                :key="place"
                class="flex gap-4 border-b border-line py-2"
              >
                <span class="min-w-0 flex-1">
                  <b class="font-[620]">{{
                    [one.party, one.account, one.provider, one.tag].filter(Boolean).join(" on ")
                  }}</b>
                  <span class="small block"
                    >{{ one.reason
                    }}<template v-if="one.until">; through {{ plainDay(one.until) }}</template></span
                  >
                </span>
                <button
                  type="button"
                  class="link self-start"
                  @click="change.mutate([{ do: 'drop-exemption', rule: id, place: place + 1 }])"
                >
                  Remove
                </button>
              </li>
            </ul>
            <button
              v-if="!excepting && !rule.apart"
              type="button"
              class="link mt-2"
              @click="excepting = true"
            >
              Add an exception
            </button>
            <form v-if="excepting" class="mt-3 grid max-w-md gap-3" @submit.prevent="except">
              <PartyField v-if="rule.applies_to !== 'account'" v-model="exception.party" label="Party" />
              <AccountField v-if="rule.applies_to !== 'party'" v-model="exception.account" />
              <FormField label="Reason">
                <input v-model="exception.reason" class="field w-full" required maxlength="300" />
              </FormField>
              <FormField label="Last day (optional)">
                <DateField v-model="exception.until" />
              </FormField>
              <div class="flex gap-3">
                <button
                  type="submit"
                  class="button"
                  :disabled="!(exception.party || exception.account) || change.isPending.value"
                >
                  See what that changes
                </button>
                <button type="button" class="link" @click="excepting = false">Cancel</button>
              </div>
            </form>
          </div>
          <div>
            <h2 class="text-title!">
              {{
                rule.standing - rule.accepted
                  ? `Flags ${several(rule.standing - rule.accepted, "thing", "things")} now`
                  : "It flags nothing now"
              }}
            </h2>
            <p v-if="rule.accepted" class="small mt-1">{{ several(rule.accepted, "flag") }} more accepted.</p>
            <p v-if="rule.standing" class="mt-2">
              {{
                rule.acted
                  ? `In the last 90 days, orders were carried out about ${several(rule.acted, "thing", "things")} with a flag of it.`
                  : "In the last 90 days, nobody has acted on a flag of it."
              }}
              <template v-if="rule.since"
                >The oldest has been there since
                <span :title="exact(rule.since)">{{ day(rule.since, zone) }}</span>.</template
              >
            </p>
            <p v-if="rule.quiet" class="mt-3 border-l-2 border-medium pl-3">
              <b class="font-[620]">Noise.</b> Many flags, for long, and nobody acts on them. Turn it down by
              a limit, make an exception, or turn it off; or accept its flags.
            </p>
            <ul class="mt-3">
              <li v-for="flag in flags.data.value?.items ?? []" :key="flag.id" class="flex gap-3 py-[6px]">
                <SeverityNotch :severity="flag.severity" class="shrink-0" />
                <RouterLink
                  class="hover:underline"
                  :to="{ path: '/flags', query: { rule: id, flag: flag.id } }"
                >
                  {{ flag.reason }}
                  <span class="small block">{{ flag.about.name }}</span>
                </RouterLink>
              </li>
            </ul>
            <RouterLink
              v-if="rule.standing > 8"
              class="link mt-2 inline-block"
              :to="{ path: '/flags', query: { rule: id } }"
              >All {{ rule.standing - rule.accepted }} flags</RouterLink
            >
          </div>
        </div>
        <p class="mt-6 font-mono text-small text-mute">openlatch flags --rule {{ id }}</p>
      </template>
    </WhenKnown>
  </section>
</template>
