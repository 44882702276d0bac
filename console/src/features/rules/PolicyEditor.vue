<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { mistakes, placeOf, ruleAt, startOf } from "./policy";
import TrialLines from "./TrialLines.vue";

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const mayAdopt = useSession().may("policy.adopt");
const QUIET = 700;

const present = useQuery({ queryKey: ["policy", "present"], queryFn: () => take(api.GET("/policy")) });
const catalogue = useQuery({
  queryKey: ["policy", "catalogue"],
  queryFn: () => take(api.GET("/policy/catalogue")),
  staleTime: Infinity,
});
const text = ref("");
const begun = ref(-1);
const area = ref<HTMLTextAreaElement>();
const cursor = ref(0);
const search = ref("");
const note = ref("");
const adopting = ref(false);

watch(
  () => present.data.value,
  async (policy) => {
    if (!policy || begun.value === policy.number) return;
    text.value = policy.text;
    begun.value = policy.number;
    await nextTick();
    if (typeof route.query.rule === "string") go(startOf(text.value, route.query.rule));
  },
  { immediate: true },
);
const changed = computed(() => !!present.data.value && text.value !== present.data.value.text);

// What is written is tried as soon as nobody types any more; the answer to an older text is thrown away.
const asked = ref("");
let waiting = 0;
watch(text, (now) => {
  clearTimeout(waiting);
  waiting = window.setTimeout(() => (asked.value = now), QUIET);
});
const trial = useQuery({
  queryKey: computed(() => ["policy", "try", asked.value]),
  queryFn: () => take(api.POST("/policy/try", { body: { text: asked.value } })),
  enabled: computed(() => !!asked.value),
  retry: false,
  gcTime: 0,
});
const wrong = computed(() => {
  const error = trial.error.value;
  return error instanceof Problem && error.code === "invalid" ? mistakes(error.errors) : [];
});
const rule = computed(() => ruleAt(text.value, cursor.value));
const here = computed(() => trial.data.value?.lines.find((line) => line.rule === rule.value));
const fields = computed(() => {
  const wanted = search.value.toLowerCase();
  return (catalogue.data.value?.items ?? []).filter((one) =>
    `${one.path} ${one.says} ${one.words.join(" ")}`.toLowerCase().includes(wanted),
  );
});

function seen(): void {
  cursor.value = area.value?.selectionStart ?? 0;
}
function go(place: number): void {
  const field = area.value;
  if (!field) return;
  field.focus();
  field.setSelectionRange(place, place);
  const line = text.value.slice(0, place).split("\n").length;
  field.scrollTop = Math.max(0, (line - 4) * 18);
  seen();
}
function insert(path: string): void {
  const at = cursor.value;
  text.value = text.value.slice(0, at) + path + text.value.slice(at);
  void nextTick(() => go(at + path.length));
}
const adopt = useMutation({
  mutationFn: () =>
    take(api.POST("/policy/adopt", { body: { text: text.value, note: note.value, expected: begun.value } })),
  onSuccess: async (policy) => {
    begun.value = policy.number;
    adopting.value = false;
    note.value = "";
    await queries.invalidateQueries();
    await router.push({ query: { show: "history" } });
  },
});
</script>

<template>
  <div class="grid grid-cols-[minmax(0,1fr)_330px] gap-x-6 max-lg:grid-cols-1">
    <div class="flex min-h-0 flex-col">
      <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-plain">
        <span class="text-mute"
          ><template v-if="rule"
            >In rule <b class="font-mono text-ink">{{ rule }}</b><template
              v-if="here && !trial.isFetching.value"
            >
              · <b class="text-ink">{{ here.then }}</b> {{ here.then === 1 ? "match" : "matches" }}, now
              {{ here.now }}</template
            ></template
          ><template v-else>The whole policy, as one file</template></span
        >
        <span class="ml-auto min-h-5" role="status">
          <template v-if="trial.isFetching.value || (changed && asked !== text)">trying…</template>
          <b v-else-if="wrong.length" class="font-[620] text-critical"
            >{{ wrong.length }} {{ wrong.length === 1 ? "mistake" : "mistakes" }}</b
          >
          <span v-else-if="trial.data.value" class="text-good">no mistakes</span>
        </span>
      </div>
      <textarea
        ref="area"
        v-model="text"
        class="field mt-2 min-h-[220px] flex-1 resize-none font-mono text-small leading-[18px] whitespace-pre"
        :class="wrong.length ? 'border-critical' : ''"
        spellcheck="false"
        autocapitalize="off"
        aria-label="The policy, as TOML"
        @keyup="seen"
        @click="seen"
      ></textarea>
      <ul v-if="wrong.length" class="mt-2 max-h-[132px] overflow-auto text-plain" aria-label="Mistakes">
        <li
          v-for="one in wrong"
          :key="`${one.at}${one.problem}`"
          class="border-t border-line py-1 first:border-t-0"
        >
          <button v-if="one.line" type="button" class="link" @click="go(placeOf(text, one.line, one.column))">
            {{ one.at }}
          </button>
          {{ one.problem }}. <span v-if="one.hint" class="text-mute">{{ one.hint }}</span>
        </li>
      </ul>
      <ProblemNote v-else-if="trial.error.value" :error="trial.error.value" class="mt-2" />
      <form
        v-if="adopting"
        class="mt-3 grid gap-2 border-l-2 border-act pl-3"
        @submit.prevent="adopt.mutate()"
      >
        <ul v-if="trial.data.value" class="text-plain">
          <li v-for="change in trial.data.value.changes" :key="change">{{ change }}</li>
        </ul>
        <label class="grid gap-1"
          ><span class="font-[620]">Reason</span> <input v-model="note" class="field" maxlength="1000"
        /></label>
        <div class="flex gap-2">
          <button type="submit" class="button button-act" :disabled="adopt.isPending.value">
            Adopt it as policy {{ begun + 1 }}
          </button>
          <button type="button" class="button" @click="adopting = false">Cancel</button>
        </div>
        <ProblemNote v-if="adopt.error.value" :error="adopt.error.value" />
      </form>
      <div v-else class="my-3 flex items-center gap-3">
        <button
          type="button"
          class="button button-act"
          :disabled="!mayAdopt || !changed || !!wrong.length || asked !== text || trial.isFetching.value"
          @click="adopting = true"
        >
          Adopt…
        </button>
        <button
          type="button"
          class="button"
          :disabled="!changed"
          @click="text = present.data.value?.text ?? ''"
        >
          Discard my changes
        </button>
        <span class="small">{{
          mayAdopt
            ? changed
              ? "Nothing changes before you adopt it."
              : "What you write is tested as you type; nothing changes before you adopt it."
            : "You can test changes; only managers and owners can adopt them."
        }}</span>
      </div>
    </div>
    <div
      class="flex min-h-0 flex-col overflow-auto pr-6"
      tabindex="0"
      role="region"
      aria-label="What it would change, and fields"
    >
      <TrialLines v-if="trial.data.value && !wrong.length" :trial="trial.data.value" />
      <h3 class="section">Fields for conditions</h3>
      <input
        v-model="search"
        class="field"
        type="search"
        placeholder="Find a field"
        aria-label="Find a field"
      />
      <dl class="mt-2 text-plain">
        <template v-for="one in fields" :key="one.path">
          <dt class="mt-[7px]">
            <button type="button" class="link font-mono text-small" @click="insert(one.path)">
              {{ one.path }}
            </button>
            <span class="small ml-2">{{ one.type }}</span>
          </dt>
          <dd class="text-mute">{{ one.says }}</dd>
        </template>
      </dl>
      <p v-if="!fields.length" class="small mt-2">No field matches.</p>
    </div>
  </div>
</template>
