<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, toRef } from "vue";
import { api, take } from "@/api/client";
import { quoted } from "@/ui/command";
import ProblemNote from "@/ui/ProblemNote.vue";
import ImportSheet from "./ImportSheet.vue";
import { useImport } from "./useImport";
import FormField from "@/ui/FormField.vue";

const props = defineProps<{ provider: string }>();
const provider = toRef(props, "provider");
const { data: about, error: unknown } = useQuery({
  queryKey: computed(() => ["providers", "one", provider.value]),
  queryFn: () => take(api.GET("/providers/{provider}", { params: { path: { provider: provider.value } } })),
});
const { file, made, outcome, looking, beginning, progress, choose, say } = useImport(provider);
const form = computed(() => outcome.value?.form);
const counts = (found: Record<string, number>) =>
  Object.entries(found)
    .map(([word, number]) => `${number} ${word}`)
    .join(", ");
const hidden = computed(() => outcome.value?.notes.filter((one) => one.why.startsWith("hidden")).length ?? 0);
const struck = computed(() => outcome.value?.notes.filter((one) => one.why.startsWith("struck")).length ?? 0);
const general = computed(() => outcome.value?.remarks.filter((one) => !one.line) ?? []);
const error = computed(() => looking.error.value ?? beginning.error.value ?? progress.error.value);
const share = computed(() => {
  const now = progress.data.value;
  return now?.total ? Math.round((100 * now.done) / now.total) : 0;
});
function number(event: Event): number {
  return Math.max(1, Number((event.target as HTMLInputElement).value) || 1);
}
function chosen(event: Event): void {
  choose((event.target as HTMLInputElement).files?.[0]);
}
function shown(line: number): void {
  document.getElementById(`line-${line}`)?.scrollIntoView({ block: "center" });
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8" aria-label="Import a list" tabindex="0">
    <p class="small"><RouterLink class="link" to="/providers">Providers</RouterLink></p>
    <h1 class="mt-1">Import a list{{ about ? ` into ${about.name}` : "" }}</h1>
    <p class="mt-[5px] max-w-3xl text-mute">
      A list that you keep yourself, as CSV or .xlsx. You see how it is read before anything changes. What is
      not in it stays as it was, and passwords in it are left out.
    </p>
    <ProblemNote v-if="unknown" :error="unknown" class="mt-6 max-w-xl" />
    <template v-else-if="made">
      <p class="mt-8 font-[620]" role="status">
        <template v-if="progress.data.value?.state === 'done'"
          >Imported: {{ counts(progress.data.value.counts) }}. You vouch for what is in the list.</template
        >
        <template v-else-if="progress.data.value?.state === 'failed'">The import stopped.</template>
        <template v-else
          >Importing: {{ progress.data.value?.done ?? 0 }} of {{ progress.data.value?.total ?? "…" }} lines.
          You can leave this page; the import continues.</template
        >
      </p>
      <div
        class="mt-2 h-[6px] max-w-xl rounded-full bg-wash"
        role="progressbar"
        aria-label="Progress"
        :aria-valuenow="share"
        aria-valuemin="0"
        aria-valuemax="100"
      >
        <div class="h-full rounded-full bg-act" :style="{ width: `${share}%` }" />
      </div>
      <p v-if="progress.data.value?.trouble" class="mt-3 max-w-2xl text-high">
        {{ progress.data.value.trouble }}
      </p>
      <p class="mt-4 flex gap-4">
        <RouterLink v-if="about" class="button" :to="{ path: '/inventory', query: { provider: about.name } }"
          >See its entries</RouterLink
        >
        <button type="button" class="button" @click="choose(undefined)">Import another list</button>
      </p>
    </template>
    <template v-else>
      <FormField class="mt-5" label="The file">
        <input type="file" accept=".csv,.xlsx,.jsonl" class="text-plain" @change="chosen" />
      </FormField>
      <p v-if="!outcome" class="small mt-2">
        A spreadsheet, CSV, or JSON Lines. Nothing to begin with?
        <a class="link underline" href="/api/v1/imports/template?format=xlsx" download
          >An empty spreadsheet</a
        >
        has the columns, and says what belongs in each.
      </p>
      <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl" />
      <p v-if="looking.isPending.value && !outcome" class="mt-4 text-mute" role="status">Reading the file…</p>
      <template v-if="outcome && form">
        <div class="mt-5 flex flex-wrap items-end gap-x-5 gap-y-3 text-plain">
          <FormField v-if="outcome.sheets.length > 1" label="Sheet">
            <select
              class="field"
              :value="form.sheet ?? ''"
              @change="
                say({
                  sheet: ($event.target as HTMLSelectElement).value,
                  header: null,
                  headers: null,
                  columns: {},
                  orders: {},
                  skip: [],
                  take: [],
                })
              "
            >
              <option v-for="one in outcome.sheets" :key="one.name" :value="one.name">
                {{ one.name }}, {{ one.lines }} lines{{ one.hidden ? ", hidden" : "" }}
              </option>
            </select>
          </FormField>
          <FormField label="The columns are named on line">
            <input
              type="number"
              min="1"
              class="field w-[84px]"
              :value="form.header"
              @change="say({ header: number($event), headers: null, columns: {}, orders: {} })"
            />
          </FormField>
          <label class="flex items-center gap-2 pb-2">
            <input
              type="checkbox"
              :checked="form.headers === 2"
              :disabled="form.header === 1"
              @change="say({ headers: form.headers === 2 ? 1 : 2, columns: {}, orders: {} })"
            />
            together with the line above
          </label>
          <label v-if="hidden || form.hidden" class="flex items-center gap-2 pb-2">
            <input type="checkbox" :checked="form.hidden" @change="say({ hidden: !form.hidden })" />
            take hidden lines{{ hidden ? ` (${hidden})` : "" }}
          </label>
          <label v-if="struck || form.struck" class="flex items-center gap-2 pb-2">
            <input type="checkbox" :checked="form.struck" @change="say({ struck: !form.struck })" />
            take lines that are struck through{{ struck ? ` (${struck})` : "" }}
          </label>
        </div>
        <p v-if="outcome.remembered" class="small mt-2">Matched as last time.</p>
        <p v-for="one in general" :key="one.problem" class="mt-2 text-plain">The file: {{ one.problem }}.</p>
        <div v-if="outcome.complaints.length" class="mt-4 max-w-3xl border-l-2 border-critical pl-3">
          <p class="font-[620]">Something is wrong. Nothing was changed.</p>
          <ul class="mt-1 text-plain" aria-label="What is wrong with the list">
            <li
              v-for="one in outcome.complaints.slice(0, 12)"
              :key="`${one.line} ${one.column} ${one.problem}`"
            >
              <button v-if="one.line" type="button" class="link" @click="shown(one.line)">
                Line {{ one.line }}</button
              ><template v-else>The file</template
              ><template v-if="one.column">, “{{ one.column }}”</template>: {{ one.problem }}
            </li>
            <li v-if="outcome.complaints.length > 12" class="text-mute">
              and {{ outcome.complaints.length - 12 }} more
            </li>
          </ul>
        </div>
        <div v-else class="mt-4 flex flex-wrap items-center gap-4">
          <button
            type="button"
            class="button button-act"
            :disabled="beginning.isPending.value || looking.isPending.value"
            @click="beginning.mutate()"
          >
            Import it
          </button>
          <p>
            It changes <b class="font-[620]">{{ counts(outcome.counts) }}</b><template
              v-if="outcome.notes.length"
              >; {{ outcome.notes.length }} {{ outcome.notes.length === 1 ? "line is" : "lines are" }} left
              out</template
            >. Nothing else changes.
          </p>
        </div>
        <ImportSheet class="mt-4 max-h-[62vh]" :outcome="outcome" @say="say" />
        <p v-if="about && file" class="mt-5 font-mono text-small break-words text-mute">
          openlatch provider import {{ quoted(about.name) }} {{ quoted(file.name) }} --dry-run
        </p>
      </template>
    </template>
  </section>
</template>
