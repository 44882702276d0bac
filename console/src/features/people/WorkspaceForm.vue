<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";
import { api, take, type Person } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";
import { ROLES } from "./roles";

/** The workspace that one acts for: its name, the zone in which its days are, and how long it keeps what happened. */
const session = useSession();
const { me } = session;
const mayChange = session.may("workspaces.change");
/** What is kept for so many days; empty, or 0, is for ever. */
const KEPT = [
  ["keep_events_days", "Log", "Older events can then be archived into files by whoever runs the service."],
  ["keep_activity_days", "Activity", "Older activity on accounts is deleted."],
  ["keep_readings_days", "Readings", "Older readings are deleted from each provider’s list."],
] as const;
type Kept = Record<(typeof KEPT)[number][0], number | "">;
const form = reactive<{ name: string; zone: string; second_factor: Person["role"][] } & Kept>({
  name: "",
  zone: "",
  second_factor: [],
  keep_events_days: "",
  keep_activity_days: "",
  keep_readings_days: "",
});
watch(
  me,
  (now) => {
    if (!now) return;
    const { name, zone, second_factor } = now.workspace;
    Object.assign(form, { name, zone, second_factor: [...second_factor] });
    for (const [field] of KEPT) form[field] = now.workspace[field] || "";
  },
  { immediate: true },
);
const zones = Intl.supportedValuesOf("timeZone");
const inOrder = (roles: readonly string[]): string => [...roles].sort().join();
const same = computed(
  () =>
    form.name === me.value?.workspace.name &&
    form.zone === me.value.workspace.zone &&
    inOrder(form.second_factor) === inOrder(me.value.workspace.second_factor) &&
    KEPT.every(([field]) => (form[field] || 0) === me.value?.workspace[field]),
);
const change = useMutation({
  mutationFn: () => {
    const kept = { keep_events_days: 0, keep_activity_days: 0, keep_readings_days: 0 };
    for (const [field] of KEPT) kept[field] = form[field] || 0;
    return take(api.PUT("/workspace", { body: { ...form, ...kept } }));
  },
  onSuccess: () => session.refetch(),
});
</script>

<template>
  <form
    v-if="mayChange"
    class="mt-10 max-w-2xl"
    aria-label="This workspace"
    @submit.prevent="change.mutate()"
  >
    <h2 class="section">This workspace</h2>
    <p class="text-mute">
      If the time zone changes, access ends at the same instant as before, and reviews take place on the same
      days in the new zone.
    </p>
    <div class="mt-3 flex flex-wrap items-end gap-3">
      <FormField label="Name">
        <input v-model="form.name" class="field w-[260px]" required maxlength="200" name="name" />
      </FormField>
      <FormField label="Time zone">
        <input v-model="form.zone" class="field w-[190px]" required list="zones" name="zone" />
        <datalist id="zones"><option v-for="zone in zones" :key="zone" :value="zone" /></datalist>
      </FormField>
    </div>
    <fieldset class="mt-4">
      <legend class="small">Who needs a second factor. Whoever has none can do nothing but add one.</legend>
      <div class="mt-1 flex flex-wrap gap-x-5 gap-y-1">
        <label v-for="[role] in ROLES" :key="role" class="inline-flex items-center gap-2">
          <input v-model="form.second_factor" type="checkbox" :value="role" /> {{ role }}
        </label>
      </div>
    </fieldset>
    <fieldset class="mt-5">
      <legend class="small">How many days what happened is kept. Empty: for ever.</legend>
      <div class="mt-2 flex flex-wrap gap-x-4 gap-y-3">
        <FormField
          v-for="[field, label, says] in KEPT"
          :key="field"
          :label="label"
          :hint="says"
          class="w-[180px]"
        >
          <input
            v-model.number="form[field]"
            class="field w-[110px]"
            type="number"
            min="0"
            max="36500"
            placeholder="for ever"
            :name="field"
          />
        </FormField>
      </div>
    </fieldset>
    <button type="submit" class="button mt-4" :disabled="same || change.isPending.value">Change it</button>
    <ProblemNote v-if="change.error.value" :error="change.error.value" class="mt-3" />
    <p v-else-if="change.data.value && same" class="mt-3" role="status">Changed.</p>
  </form>
</template>
