<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import CodeField from "@/ui/CodeField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { mistakes, placeOf, ruleAt, startOf } from "./policy";
import { useDraft } from "./useDraft";

/** The policy as one file; what is written here is the draft that its other pages change by its parts. */
const route = useRoute();
const { present, text, changed, trial, trialError, trying } = useDraft();
const catalogue = useQuery({
  queryKey: ["policy", "catalogue"],
  queryFn: () => take(api.GET("/policy/catalogue")),
  staleTime: Infinity,
});
const area = ref<InstanceType<typeof CodeField>>();
const cursor = ref(0);
const search = ref("");
watch(
  present,
  async (policy) => {
    await nextTick();
    if (policy && typeof route.query.rule === "string") area.value?.go(startOf(text.value, route.query.rule));
  },
  { immediate: true },
);
const wrong = computed(() => {
  const error = trialError.value;
  return error instanceof Problem && error.code === "invalid" ? mistakes(error.errors) : [];
});
const rule = computed(() => ruleAt(text.value, cursor.value));
const here = computed(() => trial.value?.lines.find((line) => line.rule === rule.value));
const fields = computed(() => {
  const wanted = search.value.toLowerCase();
  return (catalogue.data.value?.items ?? []).filter((one) =>
    `${one.path} ${one.says} ${one.words.join(" ")}`.toLowerCase().includes(wanted),
  );
});
</script>

<template>
  <div class="grid grid-cols-[minmax(0,1fr)_330px] gap-x-6 max-lg:grid-cols-1">
    <div class="flex min-h-0 flex-col">
      <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-plain">
        <span class="text-mute"
          ><template v-if="rule"
            >In rule <b class="font-mono text-ink">{{ rule }}</b><template v-if="here && !trying">
              · <b class="text-ink">{{ here.then }}</b> {{ here.then === 1 ? "match" : "matches" }}, now
              {{ here.now }}</template
            ></template
          ><template v-else>The whole policy, as one file</template></span
        >
        <span class="ml-auto min-h-5" role="status">
          <template v-if="trying">trying…</template>
          <b v-else-if="wrong.length" class="font-[620] text-critical"
            >{{ wrong.length }} {{ wrong.length === 1 ? "mistake" : "mistakes" }}</b
          >
          <span v-else-if="trial" class="text-good">no mistakes</span>
          <span v-else-if="!changed" class="text-mute">as it is in force</span>
        </span>
      </div>
      <CodeField
        v-if="present"
        ref="area"
        v-model="text"
        class="mt-2 mb-4 min-h-[220px] flex-1"
        :class="wrong.length ? 'border-critical' : ''"
        label="The policy, as TOML"
        language="toml"
        :names="catalogue.data.value?.items ?? []"
        @cursor="cursor = $event"
      />
      <ul v-if="wrong.length" class="mt-2 max-h-[132px] overflow-auto text-plain" aria-label="Mistakes">
        <li
          v-for="one in wrong"
          :key="`${one.at}${one.problem}`"
          class="border-t border-line py-1 first:border-t-0"
        >
          <button
            v-if="one.line"
            type="button"
            class="link"
            @click="area?.go(placeOf(text, one.line, one.column))"
          >
            {{ one.at }}
          </button>
          {{ one.problem }}. <span v-if="one.hint" class="text-mute">{{ one.hint }}</span>
        </li>
      </ul>
      <ProblemNote v-else-if="trialError" :error="trialError" class="mt-2" />
    </div>
    <div class="flex min-h-0 flex-col overflow-auto pr-6" tabindex="0" role="region" aria-label="Fields">
      <h3 class="section mt-0!">Fields for conditions</h3>
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
            <button type="button" class="link font-mono text-small" @click="area?.insert(one.path)">
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
