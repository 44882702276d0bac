<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";
import { api, take, type PolicyLimit } from "@/api/client";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import WhenKnown from "@/ui/WhenKnown.vue";
import { spanOf, writtenSpan } from "./limits";
import { useDraft } from "./useDraft";

/** Every limit of the policy as a field; what another one would change is worked out at once. */
const COLUMNS: Column[] = [
  { key: "limit", title: "Limit", class: "min-w-[240px]" },
  { key: "value", title: "Value", class: "w-[220px]" },
  { key: "effect", title: "It would change", class: "w-[150px]" },
  { key: "rules", title: "Used by" },
];
const limits = useQuery({ queryKey: ["policy", "limits"], queryFn: () => take(api.GET("/policy/limits")) });
const { trial, changed, change } = useDraft();
/** What was set and is not tried yet. */
const said = reactive(new Map<string, string | number>());
const tried = computed(() => new Map(trial.value?.limits.map((one) => [one.name, one.value])));
watch([trial, changed], () => said.clear());
const now = (limit: PolicyLimit): string | number =>
  said.get(limit.name) ?? tried.value.get(limit.name) ?? limit.value;
function set(limit: PolicyLimit, value: string | number): void {
  if (value === "" || value === now(limit)) return;
  said.set(limit.name, value);
  change.mutate([{ do: "limit", name: limit.name, value }], { onError: () => said.delete(limit.name) });
}
const lines = computed(() => new Map((trial.value?.lines ?? []).map((line) => [line.rule, line])));
function effect(limit: PolicyLimit): string {
  if (now(limit) === limit.value) return "";
  const used = limit.used_by.flatMap((rule) => lines.value.get(rule) ?? []);
  const sum = (of: "appear" | "go") => used.reduce((total, line) => total + line[of], 0);
  const [more, fewer] = [sum("appear"), sum("go")];
  return more || fewer ? `+${more} −${fewer} flags` : "no flag";
}
</script>

<template>
  <WhenKnown :error="limits.error.value" :pending="limits.isPending.value">
    <ProblemNote v-if="change.error.value" :error="change.error.value" class="mb-3 max-w-xl" />
    <DataTable
      class="max-w-[1000px]"
      :columns="COLUMNS"
      :rows="limits.data.value?.items ?? []"
      :key-of="(one) => one.name"
      :least="760"
    >
      <template #limit="{ row: one }">
        {{ one.says || one.name }}
        <span class="small block font-mono">{{ one.name }}</span>
      </template>
      <template #value="{ row: one }">
        <span v-if="typeof one.value === 'number'">
          <input
            type="number"
            min="0"
            class="field w-[90px]"
            :aria-label="one.says || one.name"
            :value="now(one)"
            @change="set(one, Number(($event.target as HTMLInputElement).value))"
          />
        </span>
        <span v-else class="flex gap-2">
          <input
            type="number"
            min="0"
            max="99999"
            class="field w-[90px]"
            :aria-label="one.says || one.name"
            :value="spanOf(String(now(one))).count"
            @change="
              set(one, writtenSpan(($event.target as HTMLInputElement).value, spanOf(String(now(one))).unit))
            "
          />
          <select
            class="field"
            :aria-label="`Unit: ${one.says || one.name}`"
            :value="spanOf(String(now(one))).unit"
            @change="
              set(
                one,
                writtenSpan(spanOf(String(now(one))).count, ($event.target as HTMLSelectElement).value),
              )
            "
          >
            <option value="d">days</option>
            <option value="h">hours</option>
            <option value="m">minutes</option>
          </select>
        </span>
        <span v-if="now(one) !== one.value" class="small block">now {{ one.value }}</span>
      </template>
      <template #effect="{ row: one }">
        <b class="font-[620]">{{ effect(one) }}</b>
      </template>
      <template #rules="{ row: one }">
        <span v-if="!one.used_by.length" class="text-mute">no rule: it is used outside the rules</span>
        <RouterLink
          v-for="rule in one.used_by"
          :key="rule"
          class="link mr-3 inline-block font-mono text-small"
          :to="`/policy/rules/${rule}`"
          >{{ rule }}</RouterLink
        >
      </template>
    </DataTable>
  </WhenKnown>
</template>
