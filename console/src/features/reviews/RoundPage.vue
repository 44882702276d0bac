<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import PageTabs from "@/ui/PageTabs.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { day, exact, moment } from "@/ui/time";
import ReportLinks from "@/ui/ReportLinks.vue";
import FinishRound from "./FinishRound.vue";
import DecisionList from "./DecisionList.vue";
import GiveItems from "./GiveItems.vue";
import ReviewDesk from "./ReviewDesk.vue";
import RoundTable from "./RoundTable.vue";
import { leftOut, ordered } from "./decisions";
import { useRoundItems } from "./useRoundItems";
import { OUTCOMES } from "@/api/words";
import FormField from "@/ui/FormField.vue";

const route = useRoute();
const queries = useQueryClient();
const session = useSession();
const { zone, me } = session;
const mayFinish = session.may("rounds.finish");
const mayAssign = session.may("rounds.assign");
const mayCancel = session.may("rounds.cancel");
const callingOff = ref(false);
const why = ref("");
const ordersGiven = computed(() =>
  Object.entries(OUTCOMES).reduce(
    (sum, [word, { goesOn }]) => sum + (goesOn ? (round.value?.outcomes[word] ?? 0) : 0),
    0,
  ),
);
const callOff = useMutation({
  mutationFn: () =>
    take(
      api.POST("/rounds/{review_round}/cancel", {
        params: { path: { review_round: wanted.value } },
        body: { reason: why.value },
      }),
    ),
  onSuccess: () => {
    callingOff.value = false;
    return again();
  },
});
const mayReport = session.may("rounds.report");
const giving = ref(false);
const finishing = ref(false);
const listing = ref(false);
const mayDecide = session.may("rounds.decide");
const wanted = computed(() => String(route.params.round));
const {
  data: round,
  error,
  refetch,
} = useQuery({
  queryKey: computed(() => ["rounds", "one", wanted.value]),
  queryFn: () =>
    take(api.GET("/rounds/{review_round}", { params: { path: { review_round: wanted.value } } })),
  refetchInterval: (query) => (query.state.data?.state === "settling" ? 1500 : 15_000),
});
const mayList = computed(() => mayDecide.value && round.value?.state === "open" && !round.value.paused_at);
const mayCallOff = computed(() => mayCancel.value && ["open", "settling"].includes(round.value?.state ?? ""));
const items = useRoundItems(wanted, round);
const by = computed(() => (route.query.by === "party" ? ("party" as const) : ("account" as const)));
const every = computed(() => ordered(items.items.value, by.value));
const mine = computed(() => every.value.filter((one) => one.reviewer_id === me.value?.person.id));
// A letter about one item leads to it.
const first = computed(() => Number(route.query.item));
const asked = ref(!route.query.item);
const atDesk = computed(() => (asked.value && mine.value.length ? mine.value : every.value));
const tabs = computed(() =>
  mayDecide.value && round.value?.state === "open"
    ? ([
        ["desk", "One at a time"],
        ["table", "All of them"],
      ] as const)
    : ([["table", "All of them"]] as const),
);
const shown = computed(() => {
  const word = String(route.query.show ?? tabs.value[0][0]);
  return tabs.value.some(([tab]) => tab === word) ? word : tabs.value[0][0];
});
const act = useMutation({
  mutationFn: (what: "pause" | "resume") => {
    const params = { path: { review_round: wanted.value } };
    return what === "pause"
      ? take(api.POST("/rounds/{review_round}/pause", { params }))
      : take(api.POST("/rounds/{review_round}/resume", { params }));
  },
  onSuccess: () => again(),
});
async function given(places: number[]): Promise<void> {
  giving.value = false;
  await again(places);
}
async function finished(): Promise<void> {
  finishing.value = false;
  await again();
}
/** Look again: at some items, or, where it is not known which were changed, at all that the round shows changed. */
async function again(places: readonly number[] = []): Promise<void> {
  await items.refresh(places);
  await refetch();
  await queries.invalidateQueries({ queryKey: ["rounds"] });
}
async function decidedByList(): Promise<void> {
  await items.read();
  await again();
}
const undecided = computed(() => round.value?.outcomes["undecided"] ?? 0);
const orders = computed(() => round.value?.outcomes["to come"] ?? 0);
const done = computed(() => {
  const o = round.value?.outcomes ?? {};
  return Object.entries(o)
    .filter(([word]) => ["stuck", "refused", "cancelled", "waiting"].includes(word))
    .reduce((sum, [, number]) => sum + number, 0);
});
</script>

<template>
  <section
    class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4"
    aria-label="Review round"
    tabindex="0"
  >
    <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/reviews">All reviews</RouterLink>
    </ProblemNote>
    <p v-else-if="!round" class="mt-8 text-mute" role="status">Loading…</p>
    <template v-else>
      <p class="small"><RouterLink class="link" to="/reviews">Reviews</RouterLink> · round {{ round.ref }}</p>
      <h1 class="mt-1">{{ round.review.name }}</h1>
      <p class="mt-[5px] text-mute">
        Applies to {{ round.looks_at }}. Opened {{ day(round.opened_at, zone) }}: {{ round.why }}.
        <template v-if="round.state === 'open'"
          >{{ round.paused_at ? "Paused." : "" }}
          <span :title="exact(round.due_at)">Due {{ moment(round.due_at, zone) }}</span
          >; what nobody answers by then {{ round.silence }}.</template
        >
        <template v-if="round.settled_at"
          >Answered by {{ moment(round.settled_at, zone) }}, ended by {{ round.settled_by }}.</template
        >
        <b v-if="round.state === 'cancelled'" class="font-[620]"
          >Cancelled {{ moment(round.closed_at, zone) }} by {{ round.settled_by }}. Orders it had given went
          on.</b
        >
        <b v-else-if="round.closed_at" class="font-[620] text-good"
          >Closed {{ moment(round.closed_at, zone) }}: everything in it is proved or left open.</b
        >
        <template v-if="round.left_out">{{ " " }}{{ leftOut(round.left_out) }}</template>
        <template v-if="round.joined"
          >{{ " " }}{{ round.joined }} came into its scope since it was opened; the next round covers
          {{ round.joined === 1 ? "it" : "them" }}.</template
        >
      </p>
      <div class="mt-4 max-w-3xl" role="status" aria-label="How far it is">
        <OutcomeBar :outcomes="round.outcomes" />
      </div>
      <ul class="mt-2 flex flex-wrap gap-x-5 text-plain">
        <li v-for="one in round.progress" :key="one.address">
          {{ one.name || "nobody can be asked" }}: {{ one.decided }} of {{ one.items }}
          <span v-if="one.by_others" class="text-mute">({{ one.by_others }} by others)</span>
        </li>
      </ul>
      <ReportLinks
        v-if="mayReport"
        class="mt-3"
        kind="round"
        :of="round.ref"
        :over="round.state === 'closed'"
      />
      <div v-if="round.compared" class="mt-4 max-w-3xl border-l-2 border-good pl-3">
        <p class="font-[620]">The same entries now</p>
        <p>
          {{ round.compared.flagged.then }} of {{ round.compared.entries.then }} had a flag; now it is
          {{ round.compared.flagged.now }} of the {{ round.compared.entries.now }} that are still there. The
          risk of all of them together was {{ round.compared.risk.then }}, and is
          {{ round.compared.risk.now }}.
        </p>
        <p v-if="round.compared.gone.length" class="small">
          No longer there: {{ round.compared.gone.join("; ") }}.
        </p>
        <p v-if="round.compared.joined.length" class="small">
          Came into its scope since, and was not part of this round: {{ round.compared.joined.join("; ") }}.
        </p>
      </div>
      <div v-if="round.state === 'open' && mayFinish" class="mt-4 flex flex-wrap items-center gap-3">
        <button
          type="button"
          class="button"
          :class="undecided ? '' : 'button-danger'"
          :disabled="!!undecided || act.isPending.value || !!round.paused_at"
          @click="finishing = true"
        >
          Finish{{ orders ? `: ${orders} ${orders === 1 ? "order" : "orders"}` : "" }}…
        </button>
        <button
          type="button"
          class="button"
          :disabled="act.isPending.value"
          @click="act.mutate(round.paused_at ? 'resume' : 'pause')"
        >
          {{ round.paused_at ? "Resume the round" : "Pause the round" }}
        </button>
        <button v-if="undecided && mayAssign && !giving" type="button" class="link" @click="giving = true">
          Assign items to others…
        </button>
        <span v-if="undecided" class="small">{{ undecided }} still to be decided</span>
      </div>
      <div class="mt-3 flex flex-wrap gap-x-5 text-plain">
        <button v-if="mayList && !listing" type="button" class="link" @click="listing = true">
          Decide with a list…
        </button>
        <button v-if="mayCallOff && !callingOff" type="button" class="link" @click="callingOff = true">
          Cancel the round…
        </button>
      </div>
      <DecisionList
        v-if="listing && mayList"
        :round="round"
        :mine="mine.length"
        @decided="decidedByList"
        @leave="listing = false"
      />
      <div v-if="mayCallOff && callingOff" class="mt-3">
        <form class="max-w-xl border-l-2 border-act pl-3" @submit.prevent="callOff.mutate()">
          <p>
            It gives no more orders{{
              ordersGiven
                ? `; ${ordersGiven} ${ordersGiven === 1 ? "order" : "orders"} it has given will go on`
                : ""
            }}. Its decisions are kept, and the reviewers are told why.
          </p>
          <FormField class="mt-2" label="Reason">
            <input v-model="why" class="field w-full" required maxlength="1000" name="why" />
          </FormField>
          <ProblemNote v-if="callOff.error.value" :error="callOff.error.value" class="mt-2" />
          <div class="mt-2 flex gap-3">
            <button type="submit" class="button button-danger" :disabled="callOff.isPending.value">
              Cancel it
            </button>
            <button type="button" class="link" @click="callingOff = false">Cancel</button>
          </div>
        </form>
      </div>
      <FinishRound v-if="finishing" :round="round" @close="finishing = false" @finished="finished" />
      <GiveItems v-if="giving" :round="round" :items="every" @done="given" @leave="giving = false" />
      <p v-if="round.state === 'settling' && done" class="mt-3 max-w-2xl text-high">
        {{ done }} {{ done === 1 ? "needs" : "need" }} a person: solve it, or leave it open below.
      </p>
      <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4 max-w-xl" />
      <ProblemNote v-if="items.error.value" :error="items.error.value" class="mt-4 max-w-xl">
        <button type="button" class="button mt-3" @click="items.read()">Read the items again</button>
      </ProblemNote>
      <p v-if="!round.count" class="mt-6 max-w-xl">Nothing was in its scope when it was opened.</p>
      <template v-else>
        <div class="mt-5 flex flex-wrap items-end justify-between gap-x-6">
          <PageTabs class="flex-1" label="Items of the round" :tabs="tabs" :shown="shown" />
          <p class="small flex gap-3 pb-2">
            together:
            <RouterLink
              v-for="one in ['account', 'party'] as const"
              :key="one"
              :class="one === by ? 'font-semibold text-ink' : 'link'"
              :aria-current="one === by ? 'true' : undefined"
              :to="{ query: { ...route.query, by: one === 'party' ? one : undefined } }"
              >all of {{ one === "party" ? "a party" : "an account" }}</RouterLink
            >
          </p>
        </div>
        <p v-if="!items.complete.value && !items.error.value" class="small mt-3" role="status">
          {{ every.length }} of {{ round.count }} items read so far…
        </p>
        <div class="mt-4">
          <template v-if="shown === 'desk' && atDesk.length">
            <label
              v-if="mine.length && mine.length < every.length"
              class="small mb-3 inline-flex items-center gap-2"
            >
              <input v-model="asked" type="checkbox" /> only my {{ mine.length }}
            </label>
            <ReviewDesk
              :key="`${asked} ${by}`"
              :round="round"
              :items="atDesk"
              :first="first"
              @decided="again"
            />
          </template>
          <RoundTable v-else :round="round" :items="every" @changed="(place) => again([place])" />
        </div>
      </template>
      <p class="mt-5 font-mono text-small text-mute">openlatch round show {{ round.ref }}</p>
    </template>
  </section>
</template>
