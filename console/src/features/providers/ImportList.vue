<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import { listType } from "@/ui/lists";

const props = defineProps<{ provider: string; name: string }>();
const queries = useQueryClient();
const file = ref<File>();
const columns = ref<Record<string, string>>({});

const send = useMutation({
  mutationFn: (dryRun: boolean) =>
    take(
      api.POST("/providers/{provider}/imports", {
        params: {
          path: { provider: props.provider },
          query: { dry_run: dryRun, columns: JSON.stringify(columns.value) },
        },
        headers: { "Content-Type": listType(file.value) },
        body: file.value as never,
        bodySerializer: (body: unknown) => body as Blob,
      }),
    ),
  onSuccess: async (outcome) => {
    if (!outcome.done) return;
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["providers"] });
  },
});
const outcome = computed(() => send.data.value);
const counts = computed(() =>
  Object.entries(outcome.value?.counts ?? {})
    .map(([word, number]) => `${number} ${word}`)
    .join(", "),
);
function choose(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  columns.value = {};
  send.reset();
  if (file.value) send.mutate(true);
}
function match(header: string, event: Event): void {
  columns.value = { ...columns.value, [header]: (event.target as HTMLSelectElement).value };
  send.mutate(true);
}
</script>

<template>
  <div>
    <label class="block">
      <span class="small mb-1 block"
        >A list that you keep (CSV in UTF-8, or .xlsx); its first line names the columns</span
      >
      <input type="file" accept=".csv,.xlsx" class="text-[13.5px]" @change="choose" />
    </label>
    <ProblemNote v-if="send.error.value" :error="send.error.value" class="mt-3" />
    <p v-else-if="send.isPending.value" class="mt-3 text-mute" role="status">Looking through it…</p>
    <template v-else-if="outcome && file">
      <p v-if="outcome.done" class="mt-3" role="status">
        <b class="font-[620]">Imported: {{ counts }}.</b> You vouch for what is in the list.
      </p>
      <template v-else>
        <ul
          v-if="outcome.complaints.length"
          class="mt-3 text-[13.5px]"
          aria-label="What is wrong with the list"
        >
          <li
            v-for="one in outcome.complaints.slice(0, 12)"
            :key="`${one.line} ${one.column} ${one.problem}`"
          >
            <b class="font-semibold text-high">{{ one.line ? `Line ${one.line}` : "The file" }}</b><template
              v-if="one.column"
              >, “{{ one.column }}”</template
            >: {{ one.problem }}
          </li>
          <li v-if="outcome.complaints.length > 12" class="text-mute">
            and {{ outcome.complaints.length - 12 }} more
          </li>
        </ul>
        <p v-else class="mt-3">
          It would bring: <b class="font-[620]">{{ counts }}</b>. Nothing else changes.
        </p>
        <ul v-if="outcome.remarks.length" class="mt-2 text-[13.5px]" aria-label="Left out">
          <li v-for="remark in outcome.remarks.slice(0, 12)" :key="`${remark.line} ${remark.column}`">
            Line {{ remark.line }}, “{{ remark.column }}”: {{ remark.problem }}
          </li>
          <li v-if="outcome.remarks.length > 12">and {{ outcome.remarks.length - 12 }} more</li>
        </ul>
        <table class="mt-3 text-left text-[13.5px]">
          <thead class="text-[12.5px] text-mute">
            <tr>
              <th class="head">Column</th>
              <th class="head">is taken as</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="column in outcome.columns" :key="column.header">
              <td class="py-[3px] pr-6">{{ column.header || "(no name)" }}</td>
              <td class="py-[3px]">
                <span v-if="column.derived" class="text-mute">left out, it is worked out</span>
                <span v-else-if="column.secret" class="text-mute">left out, it holds secrets</span>
                <select
                  v-else
                  class="field"
                  :aria-label="`What ${column.header} is`"
                  :value="column.field"
                  @change="match(column.header, $event)"
                >
                  <option value="">left out</option>
                  <option v-for="(what, field) in outcome.fields" :key="field" :value="field">
                    {{ field }}: {{ what }}
                  </option>
                </select>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="outcome.complaints.length" class="small mt-2">
          Nothing was changed. Correct these lines in your list and choose it again.
        </p>
        <button v-else type="button" class="button mt-3" @click="send.mutate(false)">
          Import into {{ name }}
        </button>
      </template>
    </template>
  </div>
</template>
