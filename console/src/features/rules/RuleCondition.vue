<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from "vue";
import type { CatalogueField, Rule } from "@/api/client";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";
import ComboField from "@/ui/ComboField.vue";
import { conditionText, signsOf, type Term } from "./condition";

/** When a rule holds: chosen from fields, or written. */
const when = defineModel<string>({ required: true });
const props = defineProps<{
  fields: readonly CatalogueField[];
  appliesTo: Rule["applies_to"];
  written?: boolean;
}>();
const CodeField = defineAsyncComponent(() => import("@/ui/CodeField.vue"));
const way = ref(props.written ? "written" : "chosen");
const terms = ref<Term[]>([{ path: "", sign: "", value: "" }]);
const search = ref("");
/** What a rule can speak of: its own subject, and what that is about. */
const own = computed(() => {
  const roots = {
    entry: ["entry", "account", "party", "provider"],
    account: ["account", "provider"],
    party: ["party"],
  };
  return props.fields.filter((one) => roots[props.appliesTo].includes(one.path.split(".")[0] ?? ""));
});
const choices = computed(() =>
  own.value
    .filter((one) => `${one.path} ${one.says}`.toLowerCase().includes(search.value.toLowerCase()))
    .slice(0, 40)
    .map((one) => ({ key: one.path, name: one.says, detail: `${one.path} · ${one.type}` })),
);
const fieldOf = (term: Term) => own.value.find((one) => one.path === term.path);
function chosen(term: Term) {
  const field = fieldOf(term);
  return field ? { key: field.path, name: field.says } : null;
}
function say(): void {
  when.value = conditionText(terms.value, own.value);
}
function choose(term: Term, path: string): void {
  term.path = path;
  term.sign = signsOf(fieldOf(term))[0]?.[0] ?? "";
  term.value = fieldOf(term)?.words[0] ?? "";
  say();
}
const takes = (term: Term): boolean =>
  signsOf(fieldOf(term)).find(([sign]) => sign === term.sign)?.[2] ?? false;
const inDays = (term: Term): boolean => ["before", "since", "ahead"].includes(term.sign);
</script>

<template>
  <div>
    <SegmentedButtons
      label="How the condition is made"
      :choices="[
        ['chosen', 'Choose fields'],
        ['written', 'Write it'],
      ]"
      :chosen="way"
      @choose="(one) => (way = one)"
    />
    <template v-if="way === 'chosen'">
      <p v-if="written" class="small mt-2">What you choose takes the place of what is written.</p>
      <div v-for="(term, place) in terms" :key="place" class="mt-2 flex flex-wrap items-start gap-2">
        <span class="w-[34px] pt-[9px] text-mute">{{ place ? "and" : "if" }}</span>
        <ComboField
          class="w-[380px] max-w-full"
          label="Field"
          bare
          placeholder="a field: type what it is about"
          :chosen="chosen(term)"
          :choices="choices"
          @choose="choose(term, $event.key)"
          @search="search = $event"
        />
        <select v-if="term.path" v-model="term.sign" class="field" aria-label="How" @change="say">
          <option v-for="[sign, words] in signsOf(fieldOf(term))" :key="sign" :value="sign">
            {{ words }}
          </option>
        </select>
        <template v-if="takes(term)">
          <select
            v-if="fieldOf(term)?.words.length"
            v-model="term.value"
            class="field"
            aria-label="Value"
            @change="say"
          >
            <option v-for="word in fieldOf(term)?.words" :key="word">{{ word }}</option>
          </select>
          <input
            v-else
            v-model="term.value"
            class="field w-[150px]"
            aria-label="Value"
            :type="inDays(term) || fieldOf(term)?.type === 'a number' ? 'number' : 'text'"
            @input="say"
          />
          <span v-if="inDays(term)" class="pt-[9px] text-mute">days</span>
        </template>
        <button
          v-if="terms.length > 1"
          type="button"
          class="link pt-[9px]"
          @click="(terms.splice(place, 1), say())"
        >
          take out
        </button>
      </div>
      <button type="button" class="link mt-2" @click="(terms.push({ path: '', sign: '', value: '' }), say())">
        And another condition
      </button>
      <p v-if="when" class="mt-3 font-mono text-small break-words text-mute">{{ when }}</p>
    </template>
    <template v-else>
      <CodeField
        v-model="when"
        class="mt-2 min-h-[76px]"
        label="Condition"
        language="condition"
        :names="own"
      />
      <p class="small mt-1">
        Fields are proposed as you type. “now”, “limits.unused” and duration("36h") are known; join conditions
        by &amp;&amp; and ||.
      </p>
    </template>
  </div>
</template>
