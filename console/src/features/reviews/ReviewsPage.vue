<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take, type Review, type Round } from "@/api/client";
import { useSession } from "@/api/session";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import WhenKnown from "@/ui/WhenKnown.vue";
import { day, exact } from "@/ui/time";
import ReviewForm from "./ReviewForm.vue";
import { leftOut } from "./decisions";
import YearStrip from "./YearStrip.vue";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "review", title: "Review", class: "min-w-[180px]" },
  { key: "state", title: "State", class: "w-[90px]" },
  { key: "due", title: "Due", class: "w-[110px]", cell: "whitespace-nowrap" },
  { key: "outcome", title: "Result", class: "w-[320px]", cell: "pt-3" },
  { key: "more", title: "More", class: "w-[110px]", cell: "text-plain", quiet: true },
];

const router = useRouter();
const queries = useQueryClient();
const session = useSession();
const { zone } = session;
const maySave = session.may("reviews.save");
const editing = ref<Review | "new" | null>(useRoute().query.new ? "new" : null);
const reviews = useQuery({ queryKey: ["reviews"], queryFn: () => take(api.GET("/reviews")) });
const rounds = useQuery({
  queryKey: ["rounds", "list"],
  queryFn: () => take(api.GET("/rounds", { params: { query: { limit: 50 } } })),
  refetchInterval: 5000,
});
const list = computed(() => reviews.data.value?.items ?? []);
const found = computed(() => rounds.data.value?.items ?? []);
/** What is asked before a round is opened beside another one, or a review is given up. */
const asking = ref<{ review: Review; what: "open" | "remove" } | null>(null);
async function openUnlessAsked(review: Review): Promise<Round | null> {
  const params = { path: { review: review.ref } };
  if (asking.value?.review.ref !== review.ref) {
    const now = await take(api.GET("/reviews/{review}", { params }));
    if (now.asked_already.length) {
      asking.value = { review: now, what: "open" };
      return null;
    }
  }
  return take(api.POST("/reviews/{review}/rounds", { params }));
}
const open = useMutation({
  mutationFn: openUnlessAsked,
  onSuccess: async (round) => {
    if (!round) return;
    await queries.invalidateQueries({ queryKey: ["rounds"] });
    await router.push(`/rounds/${round.ref}`);
  },
});
const pause = useMutation({
  mutationFn: (review: Review) => {
    const params = { path: { review: review.ref } };
    return review.paused
      ? take(api.POST("/reviews/{review}/resume", { params }))
      : take(api.POST("/reviews/{review}/pause", { params }));
  },
  onSuccess: () => queries.invalidateQueries({ queryKey: ["reviews"] }),
});
const remove = useMutation({
  mutationFn: (review: Review) =>
    take(api.DELETE("/reviews/{review}", { params: { path: { review: review.ref } } })),
  onSuccess: async () => {
    asking.value = null;
    await queries.invalidateQueries({ queryKey: ["reviews"] });
  },
});
async function saved(): Promise<void> {
  editing.value = null;
  await queries.invalidateQueries({ queryKey: ["reviews"] });
}
function stateOf(round: (typeof found.value)[number]): string {
  return round.paused_at ? "paused" : round.state;
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="Reviews" tabindex="0">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
      <div>
        <h1>Reviews</h1>
        <p class="mt-[5px] text-mute">
          What is reviewed when, by whom, and with what result. A round closes once everything in it is
          proved.
        </p>
      </div>
      <button v-if="maySave" type="button" class="button button-act" @click="editing = 'new'">
        New review…
      </button>
    </header>
    <ProblemNote v-if="open.error.value" :error="open.error.value" class="mt-6 max-w-xl" />
    <ProblemNote v-if="pause.error.value" :error="pause.error.value" class="mt-6 max-w-xl" />
    <h2 class="section">Rounds</h2>
    <WhenKnown :error="rounds.error.value" :pending="rounds.isPending.value">
      <p v-if="!found.length" class="text-mute">
        There are no rounds yet. One opens when a review is due, or with “Open a round now”.
      </p>
      <div v-else class="overflow-x-auto" tabindex="0" role="region" aria-label="Rounds">
        <DataTable :columns="COLUMNS" :rows="found" :key-of="(round) => round.id" :least="640">
          <template #review="{ row: round }">
            <RouterLink class="font-[620] hover:underline" :to="`/rounds/${round.ref}`">{{
              round.review.name
            }}</RouterLink>
            <span class="small block">opened {{ day(round.opened_at, zone) }}; {{ round.why }}</span>
          </template>
          <template #state="{ row: round }">
            <span :class="round.state === 'closed' ? 'text-good' : ''">{{ stateOf(round) }}</span>
          </template>
          <template #due="{ row: round }">
            <span :title="exact(round.due_at)">{{ day(round.due_at, zone) }}</span>
          </template>
          <template #outcome="{ row: round }">
            <OutcomeBar :outcomes="round.outcomes" />
          </template>
          <template #more="{ row: round }">
            <RouterLink v-if="round.mine" class="link" :to="`/rounds/${round.ref}`"
              >{{ round.mine }} for you</RouterLink
            >
          </template>
        </DataTable>
      </div>
    </WhenKnown>
    <h2 class="section">Reviews and their schedules</h2>
    <WhenKnown :error="reviews.error.value" :pending="reviews.isPending.value">
      <p v-if="!list.length" class="max-w-xl text-mute">
        There are no reviews yet. A review says which entries are looked at, when, by whom, and what happens
        to those that nobody answers: everyone outside the circle on the first Monday of each month, for
        example.
      </p>
      <template v-else>
        <YearStrip :reviews="list" />
        <ul class="mt-5 max-w-4xl">
          <li
            v-for="review in list"
            :key="review.id"
            class="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-t border-line py-[10px]"
          >
            <div class="min-w-[240px] flex-1">
              <b class="font-[620]">{{ review.name }}</b>
              <span class="block text-plain"
                >{{ review.says }}<template v-if="review.paused"> (paused)</template></span
              >
              <span class="small"
                >{{ review.looks_at }}: {{ review.entries }} entries now;
                {{
                  review.reviewers === "named"
                    ? `asks ${review.named.join(", ")}`
                    : review.reviewers === "administrators"
                      ? "asks each account's administrators"
                      : "asks each party's sponsor"
                }}; what nobody answers {{ review.silence }}</span
              >
              <span v-if="review.left_out" class="small block">{{ leftOut(review.left_out) }}</span>
            </div>
            <div v-if="maySave" class="flex flex-wrap gap-2 text-plain">
              <button
                type="button"
                class="link"
                :disabled="open.isPending.value"
                @click="open.mutate(review)"
              >
                Open a round now
              </button>
              <button type="button" class="link" @click="editing = review">Change</button>
              <button
                type="button"
                class="link"
                :disabled="pause.isPending.value"
                @click="pause.mutate(review)"
              >
                {{ review.paused ? "Resume" : "Pause" }}
              </button>
              <button type="button" class="link" @click="asking = { review, what: 'remove' }">Remove…</button>
            </div>
            <div v-if="asking?.review.ref === review.ref" class="w-full border-l-2 border-act pl-3">
              <template v-if="asking.what === 'open'">
                <p v-for="one in asking.review.asked_already" :key="one.ref">
                  <RouterLink class="link" :to="`/rounds/${one.ref}`">Round {{ one.ref }}</RouterLink> of “{{
                    one.review
                  }}” asks about {{ one.entries }} of these {{ asking.review.entries }} entries already, until
                  {{ day(one.due_at, zone) }}.
                </p>
              </template>
              <p v-else>
                No round is opened any more. Its rounds and their reports stay; an open round has to be
                finished or cancelled first.
              </p>
              <ProblemNote v-if="remove.error.value" :error="remove.error.value" class="mt-2" />
              <div class="mt-2 flex gap-3">
                <button
                  type="button"
                  class="button"
                  :disabled="open.isPending.value || remove.isPending.value"
                  @click="asking.what === 'open' ? open.mutate(asking.review) : remove.mutate(asking.review)"
                >
                  {{ asking.what === "open" ? "Open another round" : "Remove the review" }}
                </button>
                <button type="button" class="link" @click="asking = null">Cancel</button>
              </div>
            </div>
          </li>
        </ul>
      </template>
      <p class="mt-5 font-mono text-small text-mute">openlatch review list; openlatch round list</p>
    </WhenKnown>
    <ReviewForm
      v-if="editing"
      :review="editing === 'new' ? null : editing"
      @close="editing = null"
      @saved="saved"
    />
  </section>
</template>
