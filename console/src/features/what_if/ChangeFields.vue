<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import { saidOf, type Change, type Statement } from "./changes";
import StatementRows from "./StatementRows.vue";
import AccountField from "@/features/inventory/AccountField.vue";
import AddressField from "@/features/inventory/AddressField.vue";
import EntryField from "@/features/inventory/EntryField.vue";
import ComboField from "@/ui/ComboField.vue";
import DateField from "@/ui/DateField.vue";

/** One change of a proposal, as fields: which entry or account, and what becomes of it. */
const change = defineModel<Change>({ required: true });
const emit = defineEmits<{ remove: [] }>();
const set = (name: string, value: unknown): void => {
  const more = value === "" || value === undefined ? { [name]: undefined } : { [name]: value };
  change.value = { ...change.value, ...more };
};
const text = (name: string): string => {
  const value = change.value[name];
  return typeof value === "string" ? value : "";
};
const aboutEntry = computed(() =>
  ["end", "narrow", "pause", "resume", "end-on", "extend"].includes(change.value.do),
);
const tasks = useQuery({
  queryKey: ["tasks"],
  queryFn: () => take(api.GET("/tasks")),
  enabled: computed(() => change.value.do === "give"),
});
const entry = useQuery({
  queryKey: computed(() => ["entries", "one", text("entry")]),
  queryFn: () => take(api.GET("/entries/{entry}", { params: { path: { entry: text("entry") } } })),
  enabled: computed(() => aboutEntry.value && text("entry") !== ""),
  retry: false,
});
const levels = useQuery({
  queryKey: computed(() => ["plan", text("entry"), "levels"]),
  queryFn: async () =>
    (await take(api.GET("/entries/{entry}/plan", { params: { path: { entry: text("entry") } } }))).levels,
  enabled: computed(() => change.value.do === "narrow" && text("entry") !== ""),
  retry: false,
});
const parts = useQuery({
  queryKey: computed(() => ["shares", text("account")]),
  queryFn: () =>
    take(api.GET("/accounts/{account}/shares", { params: { path: { account: text("account") } } })),
  enabled: computed(() => change.value.do === "share" && text("account") !== ""),
  retry: false,
});
/** A part that is shared already begins with what it is shared by now. */
function part(name: string): void {
  const there = parts.data.value?.items.find((one) => one.resource === name) as Change | undefined;
  change.value = there ? { ...there } : { ...change.value, resource: name };
}
const seeks = ref("");
const shared = computed(() =>
  (parts.data.value?.items ?? [])
    .map((one) => String(one.resource))
    .filter((one) => one.toLowerCase().includes(seeks.value.toLowerCase()))
    .map((one) => ({ key: one, name: one })),
);
const statements = computed({
  get: () => (change.value.statements ?? []) as Statement[],
  set: (now) => set("statements", now),
});
</script>

<template>
  <fieldset class="border-l-2 border-act pl-4">
    <legend class="sr-only">{{ saidOf(change) }}</legend>
    <div class="flex items-baseline justify-between gap-4">
      <b class="font-[620]">{{
        entry.data.value
          ? `${entry.data.value.party.name}, “${entry.data.value.level}” on ${entry.data.value.account.name}: ${change.do.replace("-", " ")}`
          : change.do.replace("-", " ")
      }}</b>
      <button type="button" class="link text-plain" @click="emit('remove')">take out</button>
    </div>
    <div v-if="aboutEntry" class="mt-2 flex flex-wrap items-center gap-2">
      <EntryField
        class="w-[420px] max-w-full"
        label="Which access"
        bare
        :model-value="text('entry')"
        @update:model-value="set('entry', $event)"
      />
      <select
        v-if="change.do === 'narrow'"
        class="field"
        aria-label="To which level"
        :value="text('level')"
        @change="set('level', ($event.target as HTMLSelectElement).value)"
      >
        <option value="">to which level</option>
        <option v-for="one in levels.data.value" :key="one" :value="one">{{ one }}</option>
      </select>
      <DateField
        v-if="change.do === 'end-on' || change.do === 'extend'"
        :aria-label="change.do === 'extend' ? 'A later last day' : 'Last day'"
        :model-value="text('until')"
        @update:model-value="set('until', $event)"
      />
    </div>
    <div v-else class="mt-2 flex flex-wrap items-center gap-2">
      <AccountField
        class="w-[260px]"
        bare
        placeholder="which account"
        :model-value="text('account')"
        @update:model-value="set('account', $event)"
      />
      <template v-if="change.do === 'give'">
        <AddressField
          class="w-[260px]"
          placeholder="for whom: an address"
          label="Whom"
          bare
          :model-value="text('to')"
          @update:model-value="set('to', $event)"
        />
        <select
          class="field max-w-[240px]"
          aria-label="Purpose"
          :value="text('task')"
          @change="set('task', ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="one in tasks.data.value?.items" :key="one.id" :value="one.id">
            {{ one.title }}
          </option>
        </select>
        <label class="inline-flex items-center gap-2 text-plain"
          >until <DateField :model-value="text('until')" @update:model-value="set('until', $event)"
        /></label>
      </template>
      <select
        v-if="change.do === 'lock'"
        class="field"
        aria-label="Locked"
        :value="change.locked ? 'yes' : 'no'"
        @change="set('locked', ($event.target as HTMLSelectElement).value === 'yes')"
      >
        <option value="yes">open to nobody, whatever its parts are set to</option>
        <option value="no">open as its parts are set</option>
      </select>
      <template v-if="change.do === 'share'">
        <ComboField
          class="w-[240px]"
          placeholder="which part"
          label="Part"
          bare
          free
          :chosen="text('resource') ? { key: text('resource'), name: text('resource') } : null"
          :choices="shared"
          :busy="parts.isFetching.value"
          @choose="part($event.key)"
          @type="part($event)"
          @search="seeks = $event"
        />
        <span class="small">hours in {{ text("zone") }}</span>
      </template>
    </div>
    <StatementRows v-if="change.do === 'share'" v-model="statements" class="mt-3" />
  </fieldset>
</template>
