<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { moment } from "@/ui/time";
import { BLANK, parsed, saidOf, type Change } from "./changes";
import ChangeFields from "./ChangeFields.vue";
import ComparisonView from "./ComparisonView.vue";
import OutcomeView from "./OutcomeView.vue";
import FormField from "@/ui/FormField.vue";

/** One proposal: its changes, what they would change, and carrying them out. `new` begins one. */
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const { zone, may } = useSession();
const mayChange = may("proposals.create");
const mayApply = may("proposals.apply");
const wanted = computed(() => String(route.params.proposal));
const fresh = computed(() => wanted.value === "new");
const found = useQuery({
  queryKey: computed(() => ["proposals", wanted.value]),
  queryFn: () => take(api.GET("/proposals/{proposal}", { params: { path: { proposal: wanted.value } } })),
  enabled: computed(() => !fresh.value),
  refetchInterval: (query) => (query.state.data?.state === "working" ? 600 : false),
});
const proposal = computed(() => (fresh.value ? undefined : found.data.value));
const number = computed(() => Number(route.query.version) || proposal.value?.runs.length || 0);
const run = computed(() => proposal.value?.runs[number.value - 1]);
/** The version that this one is laid beside, if any. */
const beside = computed(() => {
  const other = Number(route.query.beside);
  return other !== number.value && proposal.value?.runs.some((one) => one.number === other) ? other : 0;
});
const latest = computed(() => run.value?.number === proposal.value?.runs.length);

const said = (name: string): string => {
  const value = route.query[name];
  return typeof value === "string" ? value : "";
};
const source = ref("");
const editing = ref(false);
watch(
  [run, fresh],
  ([now]) => {
    const entry = said("entry");
    const first = entry ? [{ ...BLANK.end, entry }] : [];
    const body = now?.body ?? { proposal: 1, title: "What if…", why: "", changes: first };
    source.value = JSON.stringify(tidy(body), null, 2);
    if (!now) editing.value = fresh.value;
  },
  { immediate: true },
);
/** Without what is as it is by itself anyway: a person has to read this. */
function tidy(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(tidy);
  if (typeof value !== "object" || value === null) return value;
  const kept = Object.entries(value).filter(
    ([key, one]) =>
      key === "why" ||
      !(
        one === "" ||
        one === null ||
        (Array.isArray(one) && !one.length && key !== "networks" && key !== "changes")
      ),
  );
  return Object.fromEntries(kept.map(([key, one]) => [key, tidy(one)]));
}
const read = computed(() => parsed(source.value));
const changes = computed(() => (read.value.body?.changes ?? []) as Change[]);
function put(now: Change[]): void {
  source.value = JSON.stringify({ ...(read.value.body ?? {}), changes: now }, null, 2);
}
const titled = computed({
  get: () => String(read.value.body?.title ?? ""),
  set: (title) => (source.value = JSON.stringify({ ...(read.value.body ?? {}), title }, null, 2)),
});
const asText = ref(false);
async function kept(ref: string): Promise<void> {
  editing.value = false;
  await queries.invalidateQueries({ queryKey: ["proposals"] });
  await router.push({ path: `/what-if/${ref}` });
}
const submit = useMutation({
  mutationFn: () => {
    const body = { body: read.value.body ?? {} };
    return fresh.value
      ? take(api.POST("/proposals", { body }))
      : take(api.PUT("/proposals/{proposal}", { params: { path: { proposal: wanted.value } }, body }));
  },
  onSuccess: (made) => kept(made.ref),
});
const again = useMutation({
  mutationFn: () =>
    take(api.POST("/proposals/{proposal}/run", { params: { path: { proposal: wanted.value } } })),
  onSuccess: (made) => kept(made.ref),
});
const apply = useMutation({
  mutationFn: () =>
    take(
      api.POST("/proposals/{proposal}/apply", {
        params: { path: { proposal: wanted.value } },
        body: { run: number.value },
      }),
    ),
  onSuccess: async (done) => {
    await queries.invalidateQueries();
    if (done.batch) await router.push(`/batches/${done.batch}`);
  },
});
const sure = ref(false);
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4" aria-label="What if" tabindex="0">
    <p class="small"><RouterLink class="link" to="/what-if">What if</RouterLink></p>
    <h1>{{ proposal?.title ?? "What if…" }}</h1>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-6 max-w-xl" />
    <p v-if="proposal" class="mt-[5px] text-mute">
      {{ proposal.ref }}, by {{ proposal.made_by }} on {{ moment(proposal.made_at, zone) }}.
      <template v-if="proposal.applied_at">
        Applied by {{ proposal.applied_by }} on {{ moment(proposal.applied_at, zone) }}:
        <RouterLink class="link" :to="`/batches/${proposal.batch}`">what came of it</RouterLink>.
      </template>
    </p>
    <div
      v-if="(proposal?.runs.length ?? 0) > 1"
      class="mt-3 flex flex-wrap gap-1 text-plain"
      role="group"
      aria-label="Versions"
    >
      <RouterLink
        v-for="one in proposal?.runs"
        :key="one.number"
        :to="{ query: { version: one.number } }"
        class="rounded-md px-[10px] py-[6px]"
        :class="one.number === number ? 'bg-wash font-semibold' : 'text-act'"
        :aria-current="one.number === number ? 'true' : undefined"
        >version {{ one.number }}</RouterLink
      >
      <label class="ml-4 flex items-center gap-2">
        <span class="text-mute">Compared with</span>
        <select
          class="field py-[4px]"
          :value="beside"
          @change="
            router.push({
              query: {
                version: number,
                beside: Number(($event.target as HTMLSelectElement).value) || undefined,
              },
            })
          "
        >
          <option :value="0">what there is now</option>
          <option
            v-for="one in proposal?.runs.filter((one) => one.number !== number)"
            :key="one.number"
            :value="one.number"
          >
            version {{ one.number }}
          </option>
        </select>
      </label>
    </div>
    <h2 class="section mt-5">What is changed</h2>
    <p v-if="fresh && !changes.length" class="max-w-xl text-plain text-mute">
      Nothing yet. Add changes; they are worked out together, against what there is now, and nothing is done
      before you apply them.
    </p>
    <ol v-if="!editing" class="grid max-w-[760px] gap-1">
      <li v-for="(change, place) in changes" :key="place" class="border-l-2 border-act pl-3 break-words">
        {{ saidOf(change) }}
      </li>
    </ol>
    <form v-else class="mt-3 max-w-[860px]" aria-label="Proposal" @submit.prevent="submit.mutate()">
      <FormField label="What it is about">
        <input
          v-model="titled"
          class="field w-full max-w-[520px]"
          required
          maxlength="200"
          autocomplete="off"
        />
      </FormField>
      <div v-if="!asText" class="mt-4 grid gap-4">
        <ChangeFields
          v-for="(change, place) in changes"
          :key="place"
          :model-value="change"
          @update:model-value="put(changes.map((one, number) => (number === place ? $event : one)))"
          @remove="put(changes.filter((_, number) => number !== place))"
        />
      </div>
      <p class="mt-3 flex flex-wrap gap-3 text-plain">
        <span class="text-mute">Add:</span>
        <button
          v-for="(blank, kind) in BLANK"
          :key="kind"
          type="button"
          class="link"
          @click="put([...changes, blank])"
        >
          {{ kind.replace("-", " ") }}
        </button>
        <button type="button" class="link ml-auto" :aria-expanded="asText" @click="asText = !asText">
          {{ asText ? "As fields" : "As text" }}
        </button>
      </p>
      <FormField v-if="asText" class="mt-2" label="The proposal, in its own format">
        <textarea
          v-model="source"
          class="field h-[280px] w-full resize-y font-mono text-small leading-[1.5]"
          spellcheck="false"
          aria-label="Proposal as JSON"
        />
      </FormField>
      <p v-if="read.trouble" class="mt-1 text-plain text-high">It cannot be read: {{ read.trouble }}</p>
      <ProblemNote v-if="submit.error.value" :error="submit.error.value" class="mt-3" />
      <div class="mt-3 flex gap-[10px]">
        <button type="submit" class="button button-act" :disabled="!read.body || submit.isPending.value">
          Work it out
        </button>
        <button v-if="!fresh" type="button" class="button" @click="editing = false">Cancel</button>
      </div>
    </form>
    <div
      v-if="!editing && proposal && !proposal.applied_at && mayChange"
      class="mt-3 flex flex-wrap gap-[10px]"
    >
      <button type="button" class="button" @click="editing = true">Change it</button>
      <button type="button" class="button" :disabled="again.isPending.value" @click="again.mutate()">
        Work it out again
      </button>
    </div>
    <template v-if="run && !editing">
      <h2 class="section mt-6">
        {{ beside ? `What differs between versions ${beside} and ${number}` : "What that would change" }}
      </h2>
      <ComparisonView v-if="beside" :proposal="wanted" :first="beside" :second="number" />
      <p v-else-if="!run.finished_at" class="text-mute" role="status">Working it out…</p>
      <div v-else-if="run.trouble" class="max-w-xl border-l-2 border-critical pl-3">
        <p class="font-[620]">It cannot be worked out.</p>
        <p>{{ run.trouble }}</p>
      </div>
      <template v-else-if="run.outcome">
        <OutcomeView :outcome="run.outcome" />
        <div
          v-if="mayApply && latest && !proposal?.applied_at"
          class="mt-6 max-w-xl border-t border-rule pt-4"
        >
          <label class="flex items-start gap-2">
            <input v-model="sure" type="checkbox" class="mt-[5px]" />
            <span>I have read this, and it is meant so.</span>
          </label>
          <ProblemNote v-if="apply.error.value" :error="apply.error.value" class="mt-3" />
          <button
            type="button"
            class="button button-danger mt-3"
            :disabled="!sure || apply.isPending.value"
            @click="apply.mutate()"
          >
            Apply all {{ changes.length }} {{ changes.length === 1 ? "change" : "changes" }}
          </button>
          <p class="small mt-2">
            Access that ends or is narrowed is ordered; who is to be let in is sent an offer; what only people
            can do at a provider becomes a task.
          </p>
        </div>
      </template>
    </template>
    <p class="mt-6 font-mono text-small text-mute">
      {{
        fresh ? "openlatch what-if make FILE --fail-if outsider-gains" : `openlatch what-if show ${wanted}`
      }}
    </p>
  </section>
</template>
