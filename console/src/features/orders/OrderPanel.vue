<script setup lang="ts">
import ConfirmOrder from "./ConfirmOrder.vue";
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take, type Entry, type Plan } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import ProblemNote from "@/ui/ProblemNote.vue";
import { ago, day } from "@/ui/time";
import { actsOn, elsewhere, WORDS, type Act } from "./acts";
import ExtendFields from "./ExtendFields.vue";
import { NOTHING, options, wanted, type Extension } from "./extension";
import PlanSteps from "./PlanSteps.vue";
import { quoted } from "@/ui/command";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

const props = defineProps<{ entry: Entry; own: boolean }>();
const emit = defineEmits<{ back: []; ordered: [] }>();
const { zone } = useSession();
const queries = useQueryClient();
const now = useNow();
const acts = actsOn(props.entry, props.own);
const act = ref<Act>(acts[0] ?? "end");
const words = computed(() => WORDS[act.value]);
const reason = ref("");
const until = ref("");
const level = ref("");
const kept = ref<string[]>([...props.entry.resources]);
const successor = ref("");
const extension = ref<Extension>({ ...NOTHING });
watch(act, () => {
  successor.value = "";
  order.reset();
});

const fewer = computed(() => kept.value.length < props.entry.resources.length);
/** What is wanted beyond the act itself; null as long as something has still to be said. */
const wish = computed(() => {
  if (act.value === "end-on") return until.value ? { until: until.value } : null;
  if (act.value === "give-back") return until.value ? { until: until.value } : {};
  if (act.value === "extend") return wanted(extension.value);
  if (act.value !== "narrow") return {};
  if (!level.value && !fewer.value) return null;
  return { level: level.value, ...(fewer.value ? { resources: kept.value } : {}) };
});
const query = computed(() => {
  const { resources, lifts, ...rest } = { ...wish.value } as { resources?: string[]; lifts?: string[] };
  return {
    action: act.value,
    ...rest,
    ...(resources ? { resources: resources.join(",") } : {}),
    ...(lifts ? { lifts: lifts.join(",") } : {}),
    ...(successor.value ? { successor: successor.value } : {}),
  };
});
function planned(wanted: Record<string, string>) {
  const params = { path: { entry: props.entry.ref }, query: wanted as never };
  return take(api.GET("/entries/{entry}/plan", { params }));
}
const {
  data: plan,
  error,
  refetch,
} = useQuery({
  queryKey: computed(() => ["plan", props.entry.ref, query.value]),
  queryFn: () => planned(query.value),
  enabled: computed(() => wish.value !== null),
  staleTime: 0,
});
const { data: choices } = useQuery({
  queryKey: ["plan", props.entry.ref, "choices"],
  queryFn: async () => {
    const { levels, wider, parts } = await planned({ action: "end" });
    return { levels, wider, parts };
  },
  enabled: computed(() => act.value === "narrow" || act.value === "extend"),
});
// Once one of them is chosen, the plan offers none any more.
const ways = ref<Plan["ways_out"]>([]);
watch(plan, (found) => {
  if (found?.ways_out.length) ways.value = found.ways_out;
});
const order = useMutation({
  mutationFn: () =>
    take(
      api.POST("/orders", {
        body: {
          entry: props.entry.ref,
          action: act.value,
          level: "",
          resources: null,
          lifts: [],
          hours: "",
          until: null,
          successor: successor.value,
          ...wish.value,
          reason: reason.value,
          digest: plan.value?.digest ?? null,
        },
      }),
    ),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["orders"] });
    emit("ordered");
  },
});
function lookAgain(): void {
  order.reset();
  void refetch();
}
const command = computed(() => {
  const verb = act.value === "end-on" ? "end" : act.value;
  const parts = [
    `openlatch ${verb === "change-secret" ? "secret change" : `entry ${verb}`}`,
    props.entry.ref,
  ];
  if (act.value === "end-on") parts.push("--until", until.value || "LAST-DAY");
  if (act.value === "give-back" && until.value) parts.push("--until", until.value);
  if (act.value === "extend") parts.push(...options(extension.value));
  if (act.value === "narrow" && level.value) parts.push("--level", quoted(level.value));
  if (act.value === "narrow" && fewer.value) for (const one of kept.value) parts.push("--part", quoted(one));
  if (successor.value) parts.push("--successor", successor.value);
  return [...parts, "--dry-run"].join(" ");
});
</script>

<template>
  <div>
    <p class="small">Entry {{ entry.ref }}</p>
    <h2 class="mt-2 pr-6">{{ words.title(entry) }}</h2>
    <p class="mt-2 text-mute">
      {{ entry.level }} on <b class="font-[620] text-ink">{{ entry.account.name }}</b>,
      {{ entry.provider.name }}. {{ entry.party.addresses.join(", ") }}.
      <template v-if="entry.last_used">
        Last used {{ day(entry.last_used, zone) }}, {{ ago(entry.last_used, now) }}.
      </template>
      <template v-else-if="entry.use_known">Never used.</template>
    </p>
    <div v-if="acts.length > 1" class="mt-4 flex flex-wrap gap-1 text-plain" role="group" aria-label="Action">
      <button
        v-for="one in acts"
        :key="one"
        type="button"
        class="rounded-md px-[10px] py-[6px]"
        :class="one === act ? 'bg-wash font-semibold' : 'text-act'"
        :aria-pressed="one === act"
        @click="act = one"
      >
        {{ WORDS[one].name }}
      </button>
    </div>
    <p v-if="elsewhere(entry, act)" class="small mt-2">
      Open Latch cannot do this itself: someone is asked to do it at {{ entry.provider.name }} and to report
      it here.
    </p>
    <label v-if="act === 'end-on' || (act === 'give-back' && entry.ends_at)" class="mt-4 block">
      <span class="small mb-1 block"
        >The {{ act === "end-on" ? "" : "new " }}last day; access ends when it is over ({{ zone }})</span
      >
      <DateField v-model="until" />
    </label>
    <template v-if="act === 'narrow'">
      <FormField class="mt-4" label="To a level that gives less, the least first">
        <select v-model="level" class="field w-full">
          <option value="">
            {{ choices && !choices.levels.length ? "none is known here" : "the level stays" }}
          </option>
          <option v-for="one in choices?.levels" :key="one" :value="one">{{ one }}</option>
        </select>
      </FormField>
      <fieldset v-if="entry.resources.length > 1" class="mt-3">
        <legend class="small mb-1">Parts to keep</legend>
        <label v-for="one in entry.resources" :key="one" class="mr-4 inline-flex items-center gap-2">
          <input v-model="kept" type="checkbox" :value="one" /> {{ one }}
        </label>
      </fieldset>
    </template>
    <ExtendFields
      v-if="act === 'extend' && choices"
      v-model="extension"
      :entry="entry"
      :levels="choices.wider"
      :parts="choices.parts"
    />
    <ProblemNote v-if="error && wish" :error="error" class="mt-6">
      <button type="button" class="button mt-3" @click="emit('back')">Back</button>
    </ProblemNote>
    <p v-else-if="!plan && wish" class="mt-6 text-mute" role="status">Working out what would happen…</p>
    <template v-else-if="plan && wish">
      <p class="small mt-4">
        {{ entry.provider.name }} knows them as
        <b class="font-[620] break-words text-ink">{{ plan.subject }}</b>.
      </p>
      <PlanSteps :consequences="plan.consequences" :steps="plan.steps" />
      <fieldset v-if="plan.stop || successor" class="mt-4 border-l-2 border-critical pl-3">
        <legend class="sr-only">Who takes over</legend>
        <p v-if="plan.stop" class="font-[620]">{{ plan.stop }}</p>
        <FormField
          v-if="ways.length"
          class="mt-2"
          :label="act === 'hand-over' ? 'New owner' : 'Who becomes an administrator first'"
        >
          <select v-model="successor" class="field w-full">
            <option value="">nobody yet</option>
            <option v-for="way in ways" :key="way.entry" :value="way.entry">
              {{ way.name }}, now “{{ way.level }}”
            </option>
          </select>
        </FormField>
      </fieldset>
      <ConfirmOrder
        v-model:reason="reason"
        :name="words.act"
        :takes="!['give-back', 'resume', 'extend'].includes(act)"
        :disabled="order.isPending.value || !!plan.stop"
        :error="order.error.value"
        @order="order.mutate()"
        @again="lookAgain"
        @cancel="emit('back')"
      />
    </template>
    <p class="mt-[18px] font-mono text-small break-words text-mute">{{ command }}</p>
  </div>
</template>
