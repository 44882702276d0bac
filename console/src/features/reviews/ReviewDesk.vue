<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import { api, take, type Round, type RoundItem } from "@/api/client";
import { useSession } from "@/api/session";
import { useShortcuts } from "@/app/shortcuts";
import { axisAround } from "@/charts/strip";
import SpanStrip from "@/charts/SpanStrip.vue";
import StripAxis from "@/charts/StripAxis.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact, lastDay } from "@/ui/time";
import TogetherList from "@/features/taking_back/TogetherList.vue";
import { advised, alike, CHOICES, decided, following, type Choice } from "./decisions";
import OutsideMark from "@/ui/OutsideMark.vue";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

/** One item at a time: what matters for the decision, and the keys to take it. */
const props = defineProps<{ round: Round; items: RoundItem[]; first?: number }>();
const emit = defineEmits<{ decided: [places: number[]] }>();
const BEFORE = 100;
const BEHIND = 300;
const { zone, me } = useSession();
const now = useNow();
const axis = axisAround(Date.now(), Math.min(408, window.innerWidth - 60));
const wanted = props.items.find((one) => one.place === props.first);
const place = ref((wanted ?? following(props.items, -1) ?? props.items[0])?.place ?? 0);
const item = computed(() => props.items.find((one) => one.place === place.value) ?? props.items[0]);
/** What can be decided about it: an act that nobody could carry out is not offered. */
const offered = computed(() => CHOICES.filter((one) => item.value?.choices.includes(one.choice)));
const same = computed(() => (item.value ? alike(props.items, item.value) : []));
const all = ref(false);
const choice = ref<Choice | null>(null);
const reason = ref("");
const level = ref("");
const until = ref("");
const to = ref("");
const fields = ref<HTMLElement>();
const desk = ref<HTMLElement>();
/** The items that are listed beside it: of very many those around it. */
const near = computed(() => {
  const at = props.items.findIndex((one) => one.place === place.value);
  return props.items.slice(Math.max(at - BEFORE, 0), Math.max(at, 0) + BEHIND);
});
const open = computed(() => props.items.filter((one) => one.outcome === "undecided").length);
const answering = computed(() => props.round.state === "open" && !props.round.paused_at);
const askable = computed(
  () => answering.value && !!item.value && !item.value.own && item.value.outcome !== "gone",
);

const levels = useQuery({
  queryKey: computed(() => ["plan", item.value?.entry.ref, "levels"]),
  queryFn: async () => {
    const params = { path: { entry: item.value?.entry.ref ?? "" }, query: { action: "end" as const } };
    return (await take(api.GET("/entries/{entry}/plan", { params }))).levels;
  },
  enabled: computed(() => choice.value === "narrow"),
});
const about = computed(() => [item.value, ...(all.value ? same.value : [])].filter((one) => !!one));
/** What it would bring about, together with what was decided so far; nothing for what changes nothing. */
const wish = computed(() => {
  if (!choice.value || !["narrow", "end-on", "end-now"].includes(choice.value)) return null;
  if ((choice.value === "narrow" && !level.value) || (choice.value === "end-on" && !until.value)) return null;
  return {
    places: about.value.map((one) => one.place),
    choice: choice.value,
    level: choice.value === "narrow" ? level.value : "",
    until: choice.value === "end-on" ? until.value : null,
  };
});
const foreseen = useQuery({
  queryKey: computed(() => ["rounds", "plan", props.round.ref, wish.value]),
  queryFn: () =>
    take(
      api.POST("/rounds/{review_round}/plan", {
        params: { path: { review_round: props.round.ref } },
        body: wish.value ?? { places: [], choice: "end-now", level: "", until: null },
      }),
    ),
  enabled: computed(() => wish.value !== null),
  staleTime: 0,
});
const people = useQuery({
  queryKey: ["people"],
  queryFn: () => take(api.GET("/people")),
  enabled: computed(() => choice.value === "pass-on"),
});
const able = computed(() =>
  (people.data.value?.items ?? []).filter((one) => ["owner", "manager", "reviewer"].includes(one.role)),
);
const needsReason = computed(() => choice.value === "keep" && !!item.value?.needs_reason);
const ready = computed(() => {
  if (choice.value === "narrow" && !level.value) return false;
  if (choice.value === "end-on" && !until.value) return false;
  if (choice.value === "pass-on" && !to.value) return false;
  return !!choice.value && (!needsReason.value || !!reason.value.trim());
});

const decide = useMutation({
  mutationFn: async () => {
    const places = about.value.map((one) => one.place);
    await take(
      api.POST("/rounds/{review_round}/decisions", {
        params: { path: { review_round: props.round.ref } },
        body: {
          places,
          choice: choice.value ?? "keep",
          reason: reason.value,
          level: choice.value === "narrow" ? level.value : "",
          until: choice.value === "end-on" ? until.value : null,
          to: choice.value === "pass-on" ? to.value : "",
          versions: Object.fromEntries(about.value.map((one) => [one.place, one.version])),
        },
      }),
    );
    return places;
  },
  onSuccess: (places) => {
    const next = following(
      props.items.filter((one) => !all.value || !same.value.some((other) => other.place === one.place)),
      place.value,
    );
    if (next) place.value = next.place;
    else clear();
    emit("decided", places);
    desk.value?.focus();
  },
});
function lookAgain(): void {
  emit(
    "decided",
    about.value.map((one) => one.place),
  );
  decide.reset();
}
function clear(): void {
  choice.value = null;
  all.value = false;
  reason.value = "";
  level.value = "";
  until.value = "";
  to.value = "";
}
watch(place, () => {
  clear();
  decide.reset();
});
/** Choose; what needs nothing more is done at once, and for the rest the first field waits. */
async function choose(wanted: Choice): Promise<void> {
  if (!askable.value || decide.isPending.value) return;
  if (!offered.value.some((one) => one.choice === wanted)) return;
  choice.value = wanted;
  decide.reset();
  if (wanted === "narrow") level.value = item.value?.narrower ?? "";
  await nextTick();
  if (ready.value && wanted === "keep") decide.mutate();
  else fields.value?.querySelector<HTMLElement>("select, input, button")?.focus();
}
function step(by: number): void {
  const at = props.items.findIndex((one) => one.place === place.value);
  place.value = props.items[(at + by + props.items.length) % props.items.length]?.place ?? place.value;
}
useShortcuts({
  ...Object.fromEntries(CHOICES.map(({ choice: one, key }) => [key, () => void choose(one)])),
  j: () => step(1),
  b: () => step(-1),
  a: () => (all.value = !all.value && same.value.length > 0),
  Escape: () => {
    clear();
    desk.value?.focus();
  },
});
</script>

<template>
  <div
    v-if="item"
    ref="desk"
    tabindex="-1"
    class="grid grid-cols-[minmax(0,1fr)_260px] gap-x-10 outline-none max-lg:grid-cols-1"
  >
    <article :aria-label="`${item.facts.party} on ${item.facts.account}`">
      <p class="small">
        Item {{ item.place }} of {{ round.count }}, {{ open }} open<template v-if="item.reviewer">
          · asked: {{ item.reviewer }}</template
        >
      </p>
      <h2 class="mt-1">
        {{ item.facts.party }}
        <OutsideMark v-if="item.facts.outside" />
      </h2>
      <p class="break-words text-mute">{{ item.entry.party.addresses.join(", ") || "no address known" }}</p>
      <p class="mt-2">
        “{{ item.facts.level }}” on <b class="font-[620]">{{ item.facts.account }}</b>,
        {{ item.facts.provider }} ({{ item.facts.kind
        }}<template v-if="item.facts.resources.length"
          >, {{ item.facts.resources.slice(0, 4).join(", ") }}</template
        >). Can {{ item.facts.powers.join(", ") || "sign in" }}.
      </p>
      <div class="mt-2 flex items-center gap-3">
        <PowerMarks :held="item.entry.powers" :used="item.entry.used_powers" />
        <span class="small">risk {{ item.facts.risk }}</span>
      </div>
      <div class="mt-3 max-w-[440px]">
        <SpanStrip :entry="item.entry" :axis="axis" :zone="zone" class="block" />
        <StripAxis :axis="axis" :zone="zone" />
      </div>
      <p class="mt-2 text-plain">
        Given {{ item.facts.given_at ? day(item.facts.given_at, zone) : "at an unknown time"
        }}<template v-if="item.facts.given_by"> by {{ item.facts.given_by }}</template
        >;
        <span :title="exact(item.facts.last_used)">{{
          item.facts.last_used
            ? `last used ${ago(item.facts.last_used, now)}`
            : item.facts.use_known
              ? "never used"
              : "use not known"
        }}</span>; {{ item.facts.ends_at ? `ends ${lastDay(item.facts.ends_at, zone)}` : "no end" }}.
      </p>
      <p class="mt-3 border-l-2 border-act pl-3">
        <b class="font-[620]">{{ advised(item) }}</b> {{ item.advice_why }}
      </p>
      <ul v-if="item.facts.flags.length" class="mt-3 grid gap-[5px]">
        <li v-for="flag in item.facts.flags" :key="flag.rule" class="flex gap-2 text-plain">
          <SeverityNotch :severity="flag.severity" :height="15" class="translate-y-[2px] self-start" />
          <span>{{ flag.reason }}</span>
        </li>
      </ul>
      <div class="mt-3 text-plain">
        <template v-if="item.last">
          <p>
            Last time {{ item.last.decision.by }} said “{{ item.last.decision.choice }}”,
            {{ day(item.last.decision.at, zone)
            }}<template v-if="item.last.decision.reason">: {{ item.last.decision.reason }}</template
            >.
          </p>
          <p v-for="one in item.last.changed" :key="one" class="text-mute">{{ one }}</p>
        </template>
        <p v-else class="text-mute">It was not reviewed before.</p>
      </div>
      <p v-if="item.decision" class="mt-3 font-[620] text-good">
        Decided: {{ decided(item) }}, by {{ item.decision.by
        }}<template v-if="item.decision.instead_of"> for {{ item.decision.instead_of }}</template
        ><template v-if="item.decision.reason">: {{ item.decision.reason }}</template>
      </p>
      <p v-if="item.own" class="mt-3 text-high">This is your own access: someone else decides about it.</p>
      <p v-else-if="item.outcome === 'gone' || item.entry.state === 'ended'" class="mt-3 text-mute">
        It has ended: there is nothing left to decide.
      </p>
      <p v-if="askable && item.reviewer_id && item.reviewer_id !== me?.person.id" class="mt-3 text-mute">
        {{ item.reviewer }} is asked about this. If you decide, it is recorded as decided by you instead of
        them.
      </p>
      <template v-if="askable">
        <div class="mt-5 flex flex-wrap gap-2" role="group" aria-label="Decision">
          <button
            v-for="one in offered"
            :key="one.choice"
            type="button"
            class="button"
            :class="choice === one.choice ? 'button-act' : ''"
            :aria-pressed="choice === one.choice"
            :aria-keyshortcuts="one.key"
            @click="choose(one.choice)"
          >
            {{ one.name }} <kbd class="ml-1 font-mono text-mini opacity-70">{{ one.key }}</kbd>
          </button>
        </div>
        <label v-if="same.length" class="mt-3 inline-flex items-center gap-2 text-plain">
          <input v-model="all" type="checkbox" /> the same for
          {{ same.length === 1 ? "one other that is" : `${same.length} others that are` }} alike
          <kbd class="font-mono text-mini text-mute">a</kbd>
        </label>
        <form
          v-if="choice"
          ref="fields"
          class="mt-3 grid max-w-[440px] gap-2"
          @submit.prevent="decide.mutate()"
        >
          <FormField v-if="choice === 'narrow'" label="To a level that gives less">
            <select v-model="level" class="field w-full">
              <option value="">{{ levels.isPending.value ? "loading…" : "choose one" }}</option>
              <option
                v-for="one in new Set([item.narrower, ...(levels.data.value ?? [])].filter(Boolean))"
                :key="one"
              >
                {{ one }}
              </option>
            </select>
          </FormField>
          <FormField v-if="choice === 'end-on'" label="The last day; access ends when it is over">
            <DateField v-model="until" />
          </FormField>
          <FormField v-if="choice === 'pass-on'" label="To whom">
            <select v-model="to" class="field w-full">
              <option value="">choose someone</option>
              <option v-for="one in able" :key="one.id" :value="one.address">{{ one.name }}</option>
            </select>
          </FormField>
          <div v-if="wish" class="mt-1 text-plain">
            <p v-if="!foreseen.data.value && !foreseen.error.value" class="text-mute" role="status">
              Working out what would happen…
            </p>
            <TogetherList
              v-if="foreseen.data.value"
              :consequences="foreseen.data.value.consequences"
              :refused="foreseen.data.value.refused"
            />
            <ProblemNote v-if="foreseen.error.value" :error="foreseen.error.value" />
          </div>
          <label class="block">
            <span class="small mb-1 block"
              >Reason{{ needsReason ? "" : " (optional)" }}
              <span v-if="needsReason" class="text-high">{{ item.needs_reason }}</span></span
            >
            <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
          </label>
          <button
            type="submit"
            class="button button-act justify-self-start"
            :disabled="!ready || decide.isPending.value"
          >
            {{ all && same.length ? `Decide ${same.length + 1}` : "Decide" }}
          </button>
        </form>
        <ProblemNote
          v-if="decide.error.value"
          :error="decide.error.value"
          class="mt-3 max-w-xl"
          :on-again="lookAgain"
        />
      </template>
    </article>
    <nav class="max-h-[calc(100vh-260px)] overflow-y-auto max-lg:mt-8" aria-label="Items" tabindex="0">
      <ol class="text-plain">
        <li v-for="one in near" :key="one.place">
          <button
            type="button"
            class="flex w-full gap-2 border-t border-line py-[5px] text-left hover:bg-wash/60"
            :class="one.place === item.place ? 'bg-wash' : ''"
            :aria-current="one.place === item.place ? 'true' : undefined"
            @click="place = one.place"
          >
            <span class="w-4 shrink-0 text-center" :class="one.decision ? 'text-good' : 'text-mute'">{{
              one.decision ? "✓" : one.own ? "–" : "·"
            }}</span>
            <span class="min-w-0">
              <span class="block truncate">{{ one.facts.party }}</span>
              <span class="small block truncate"
                >{{ one.facts.account }}{{ one.decision ? `: ${decided(one)}` : "" }}</span
              >
            </span>
          </button>
        </li>
      </ol>
    </nav>
  </div>
</template>
