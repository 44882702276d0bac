<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take, type PolicyChange } from "@/api/client";
import { SEVERITIES } from "@/api/words";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { ruleId } from "./condition";
import RuleCondition from "./RuleCondition.vue";
import { useDraft } from "./useDraft";

/** A rule of one's own: about what, when it holds, how bad that is, and what a flag says; with what it would flag. */
const router = useRouter();
const form = reactive({
  title: "",
  applies_to: "entry" as "entry" | "account" | "party",
  when: "",
  severity: "medium" as (typeof SEVERITIES)[number],
  why: "",
});
const catalogue = useQuery({
  queryKey: ["policy", "catalogue"],
  queryFn: () => take(api.GET("/policy/catalogue")),
  staleTime: Infinity,
});
const { text, changed, change } = useDraft();
const wanted = computed<PolicyChange>(() => ({
  do: "add-rule",
  id: ruleId(form.title) || "a-rule",
  title: form.title || "A rule",
  applies_to: form.applies_to,
  when: form.when,
  severity: form.severity,
  why: form.why,
  facts: {},
  reason: [],
  clears: "",
}));
const asked = ref<PolicyChange>();
let timer = 0;
watch(wanted, (now) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => (asked.value = now), 500);
});
/** What it would flag, with all else that is drafted. */
const trial = useQuery({
  queryKey: computed(() => ["policy", "own", asked.value]),
  queryFn: async () => {
    const base = changed.value ? text.value : null;
    const changes = asked.value ? [asked.value] : [];
    const made = await take(api.POST("/policy/edit", { body: { text: base, changes } }));
    const tried = await take(api.POST("/policy/try", { body: { text: made.text } }));
    return tried.lines.find((line) => asked.value?.do === "add-rule" && line.rule === asked.value.id);
  },
  enabled: computed(() => asked.value?.do === "add-rule" && asked.value.when !== ""),
  retry: false,
  gcTime: 0,
});
function add(): void {
  change.mutate([wanted.value], { onSuccess: () => void router.push("/policy") });
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4" aria-label="New rule" tabindex="0">
    <p class="small"><RouterLink class="link" to="/policy">Policy</RouterLink></p>
    <h1 class="mt-1">A rule of your own</h1>
    <p class="mt-[5px] text-mute">
      What it would flag is shown while you put it together. It is in force once you adopt the policy.
    </p>
    <ProblemNote v-if="catalogue.error.value" :error="catalogue.error.value" class="mt-4 max-w-xl" />
    <form class="mt-5 grid max-w-[860px] grid-cols-1 gap-5" aria-label="Rule" @submit.prevent="add">
      <FormField label="What it finds, as its flags say it">
        <input
          v-model="form.title"
          class="field w-full"
          required
          maxlength="200"
          placeholder="A guide who can spend"
          name="title"
        />
      </FormField>
      <div class="flex flex-wrap gap-5">
        <FormField label="It looks at">
          <select v-model="form.applies_to" class="field" @change="form.when = ''">
            <option value="entry">each access (entry)</option>
            <option value="account">each account</option>
            <option value="party">each party</option>
          </select>
        </FormField>
        <FormField label="How severe it is">
          <select v-model="form.severity" class="field">
            <option v-for="one in SEVERITIES" :key="one">{{ one }}</option>
          </select>
        </FormField>
      </div>
      <fieldset>
        <legend class="small mb-1">When</legend>
        <RuleCondition
          :key="form.applies_to"
          v-model="form.when"
          :fields="catalogue.data.value?.items ?? []"
          :applies-to="form.applies_to"
        />
      </fieldset>
      <FormField label="Why it matters (optional)">
        <input v-model="form.why" class="field w-full" maxlength="1000" name="why" />
      </FormField>
      <div class="border-l-2 border-act pl-4" aria-live="polite">
        <p v-if="!form.when" class="text-mute">Choose a field, and what it would flag appears here.</p>
        <ProblemNote v-else-if="trial.error.value" :error="trial.error.value" />
        <p v-else-if="!trial.data.value || trial.isFetching.value" class="text-mute" role="status">
          Working out what it would flag…
        </p>
        <template v-else>
          <p>
            <b class="font-[620]">{{
              trial.data.value.then
                ? `It would flag ${trial.data.value.then} now.`
                : "It would flag nothing now."
            }}</b>
          </p>
          <p v-for="one in trial.data.value.examples" :key="one.about.id" class="text-mute">
            {{ one.about.name }}
          </p>
        </template>
      </div>
      <ProblemNote v-if="change.error.value" :error="change.error.value" />
      <div class="flex gap-3">
        <button type="submit" class="button button-act" :disabled="!form.when || change.isPending.value">
          Add it to the policy…
        </button>
        <RouterLink class="button" to="/policy">Cancel</RouterLink>
      </div>
    </form>
  </section>
</template>
