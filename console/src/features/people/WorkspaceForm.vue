<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";
import { api, take, type Person } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";
import { ROLES } from "./roles";

/** The workspace that one acts for: its name, and the zone in which its days are. */
const session = useSession();
const { me } = session;
const mayChange = session.may("workspaces.change");
const form = reactive<{ name: string; zone: string; second_factor: Person["role"][] }>({
  name: "",
  zone: "",
  second_factor: [],
});
watch(
  me,
  (now) => {
    if (!now) return;
    const { name, zone, second_factor } = now.workspace;
    Object.assign(form, { name, zone, second_factor: [...second_factor] });
  },
  { immediate: true },
);
const zones = Intl.supportedValuesOf("timeZone");
const inOrder = (roles: readonly string[]): string => [...roles].sort().join();
const same = computed(
  () =>
    form.name === me.value?.workspace.name &&
    form.zone === me.value.workspace.zone &&
    inOrder(form.second_factor) === inOrder(me.value.workspace.second_factor),
);
const change = useMutation({
  mutationFn: () => take(api.PUT("/workspace", { body: { ...form } })),
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
    <button type="submit" class="button mt-4" :disabled="same || change.isPending.value">Change it</button>
    <ProblemNote v-if="change.error.value" :error="change.error.value" class="mt-3" />
    <p v-else-if="change.data.value && same" class="mt-3" role="status">Changed.</p>
  </form>
</template>
