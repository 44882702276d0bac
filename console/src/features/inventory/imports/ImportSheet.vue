<script setup lang="ts">
import { computed } from "vue";
import type { ImportForm, ImportOutcome } from "@/api/client";

/** The sheet as it is: what each column means, which lines are no entries, and what is wrong at which cell. */
const props = defineProps<{ outcome: ImportOutcome }>();
const emit = defineEmits<{ say: [Partial<ImportForm>] }>();
const form = computed(() => props.outcome.form);
const header = computed(() => form.value.header ?? 1);
const first = computed(() => header.value - (form.value.headers ?? 1) + 1);
const why = computed(() => new Map(props.outcome.notes.map((one) => [one.line, one.why])));
const place = (line: number, column: string) => `${line} ${column}`;
const wrong = computed(() => said(props.outcome.complaints));
const told = computed(() => said(props.outcome.remarks));

function said(found: ImportOutcome["complaints"]): Map<string, string> {
  const by = new Map<string, string>();
  for (const one of found) {
    const at = place(one.line, one.column);
    by.set(at, by.has(at) ? `${by.get(at)}; ${one.problem}` : one.problem);
  }
  return by;
}
function match(name: string, field: string): void {
  emit("say", { columns: { ...columns(), [name]: field } });
}
/** As it is matched now, so that what was proposed stays when one column is said to be something else. */
function columns(): Record<string, string> {
  const now: Record<string, string> = {};
  for (const one of props.outcome.columns) if (!one.secret && !one.derived) now[one.header] = one.field;
  return now;
}
function order(name: string, value: string): void {
  const orders = { ...form.value.orders };
  if (value === "day-first" || value === "month-first") orders[name] = value;
  emit("say", { orders });
}
/** Take a line that was left out, or leave one out. */
function turn(line: number): void {
  const skip = form.value.skip.filter((one) => one !== line);
  const take_ = form.value.take.filter((one) => one !== line);
  emit(
    "say",
    why.value.has(line) ? { skip, take: [...take_, line] } : { skip: [...skip, line], take: take_ },
  );
}
function kind(line: number): "above" | "header" | "out" | "in" {
  if (line < first.value) return "above";
  if (line <= header.value) return "header";
  return why.value.has(line) ? "out" : "in";
}
const gap = (index: number) => {
  const [before, now] = [props.outcome.lines[index - 1], props.outcome.lines[index]];
  return before && now ? now.line - before.line - 1 : 0;
};
</script>

<template>
  <div class="overflow-auto rounded-md border border-rule" tabindex="0" role="region" aria-label="The sheet">
    <table class="w-max min-w-full border-collapse text-left text-plain">
      <thead>
        <tr class="border-b border-rule bg-wash align-top">
          <th class="sticky left-0 z-[1] w-[52px] bg-wash px-2 py-2 text-small font-normal text-mute">
            Line
          </th>
          <th class="w-[150px] px-2 py-2"><span class="sr-only">What happens to the line</span></th>
          <th
            v-for="column in outcome.columns"
            :key="column.header"
            class="w-[176px] min-w-[150px] border-l border-line px-2 py-2 font-normal"
          >
            <span class="block max-w-[220px] font-[620] break-words">{{ column.header }}</span>
            <span v-if="column.derived" class="small block">left out: it is calculated</span>
            <span v-else-if="column.secret" class="small block">left out: it holds secrets</span>
            <select
              v-else
              class="field mt-1 w-[160px]"
              :aria-label="`What ${column.header} is`"
              :value="column.field"
              @change="match(column.header, ($event.target as HTMLSelectElement).value)"
            >
              <option value="">leave out</option>
              <option v-for="(what, field) in outcome.fields" :key="field" :value="field">
                {{ String(field).replaceAll("_", " ") }}: {{ what }}
              </option>
            </select>
            <select
              v-if="column.order || column.asks"
              class="field mt-1 w-[160px]"
              :class="column.asks ? 'border-critical' : ''"
              :aria-label="`Which number is the day in ${column.header}`"
              :value="column.order ?? ''"
              @change="order(column.header, ($event.target as HTMLSelectElement).value)"
            >
              <option v-if="column.asks" value="" disabled>day or month first?</option>
              <option value="day-first">day first: 31/12</option>
              <option value="month-first">month first: 12/31</option>
            </select>
          </th>
        </tr>
      </thead>
      <tbody>
        <template v-for="(line, index) in outcome.lines" :key="line.line">
          <tr v-if="gap(index)" class="border-b border-line text-mute">
            <td class="px-2 py-1" :colspan="outcome.columns.length + 2">
              {{ gap(index) }} more {{ gap(index) === 1 ? "line" : "lines" }}
            </td>
          </tr>
          <tr
            :id="`line-${line.line}`"
            class="border-b border-line align-top"
            :class="{
              'text-mute': kind(line.line) !== 'in',
              'bg-wash/60 font-[620]': kind(line.line) === 'header',
            }"
          >
            <td class="sticky left-0 bg-sheet px-2 py-[5px] text-small text-mute tabular-nums">
              {{ line.line }}
            </td>
            <td class="w-[150px] max-w-[190px] px-2 py-[5px] text-small">
              <span v-if="wrong.has(place(line.line, ''))" class="block font-semibold text-high">
                {{ wrong.get(place(line.line, "")) }}
              </span>
              <span v-if="kind(line.line) === 'above'">above the header</span>
              <template v-else-if="kind(line.line) !== 'header'">
                <span v-if="why.has(line.line)" class="mr-2">{{ why.get(line.line) }}</span>
                <button
                  type="button"
                  class="link text-small"
                  :aria-label="`${why.has(line.line) ? 'Take' : 'Leave out'} line ${line.line}`"
                  @click="turn(line.line)"
                >
                  {{ why.has(line.line) ? "take it" : "leave out" }}
                </button>
              </template>
            </td>
            <td
              v-for="(column, cell) in outcome.columns"
              :key="column.header"
              class="max-w-[220px] border-l border-line px-2 py-[5px] break-words"
              :class="wrong.has(place(line.line, column.header)) ? 'bg-sheet outline outline-critical' : ''"
            >
              <span :class="kind(line.line) === 'out' ? 'line-through' : ''">{{ line.cells[cell] }}</span>
              <span v-if="wrong.has(place(line.line, column.header))" class="block font-semibold text-high">
                {{ wrong.get(place(line.line, column.header)) }}
              </span>
              <span v-if="told.has(place(line.line, column.header))" class="small block">
                {{ told.get(place(line.line, column.header)) }}
              </span>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>
