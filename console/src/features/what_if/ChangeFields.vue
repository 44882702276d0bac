<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import { saidOf, type Change, type Statement } from "./changes";
import StatementRows from "./StatementRows.vue";
import AccountField from "@/features/inventory/AccountField.vue";
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
const q = ref("");
const entries = useQuery({
  queryKey: computed(() => ["entries", "choices", q.value]),
  queryFn: () => take(api.GET("/entries", { params: { query: { q: q.value, limit: 12 } } })),
  enabled: computed(() => aboutEntry.value && q.value.length > 1),
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
      <template v-if="!entry.data.value">
        <input
          v-model="q"
          class="field w-[260px]"
          placeholder="search people, accounts"
          aria-label="Which access"
        />
        <ul v-if="entries.data.value?.items.length" class="w-full text-plain">
          <li v-for="one in entries.data.value.items" :key="one.id">
            <button type="button" class="link" @click="set('entry', one.ref)">
              {{ one.party.name }}, “{{ one.level }}” on {{ one.account.name }}
            </button>
          </li>
        </ul>
      </template>
      <button v-else type="button" class="link text-plain" @click="set('entry', '')">another one</button>
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
        <input
          class="field w-[230px]"
          placeholder="for whom: an address"
          aria-label="Whom"
          :value="text('to')"
          @change="set('to', ($event.target as HTMLInputElement).value)"
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
        <input
          class="field w-[220px]"
          list="parts-of-it"
          placeholder="which part"
          aria-label="Part"
          :value="text('resource')"
          @change="part(($event.target as HTMLInputElement).value)"
        />
        <datalist id="parts-of-it">
          <option
            v-for="one in parts.data.value?.items"
            :key="String(one.resource)"
            :value="String(one.resource)"
          />
        </datalist>
        <span class="small">hours in {{ text("zone") }}</span>
      </template>
    </div>
    <StatementRows v-if="change.do === 'share'" v-model="statements" class="mt-3" />
  </fieldset>
</template>
