<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Fit, type Task } from "@/api/client";
import PowerMarks from "@/ui/PowerMarks.vue";
import type { PartForm } from "./wish";
import FormField from "@/ui/FormField.vue";
import AccountField from "@/features/inventory/AccountField.vue";
import PartsField from "@/features/inventory/PartsField.vue";

/** One part of an offer: on which account, for what, and what covers that there. */
const part = defineModel<PartForm>({ required: true });
const props = defineProps<{
  tasks: Task[];
  needs: string[];
  place: number;
  alone: boolean;
}>();
defineEmits<{ remove: [] }>();

const query = computed(() => {
  if (part.value.by !== "task") return { task: "", needs: "view" };
  return part.value.task === "asked"
    ? { task: "", needs: props.needs.join(",") }
    : { task: part.value.task, needs: "" };
});
const fit = useQuery({
  queryKey: computed(() => ["fit", part.value.account, query.value]),
  queryFn: () =>
    take(
      api.GET("/accounts/{account}/fit", {
        params: { path: { account: part.value.account }, query: query.value },
      }),
    ),
  enabled: computed(() => !!part.value.account && !!(query.value.task || query.value.needs)),
  retry: false,
});
const found = computed<Fit | undefined>(() => fit.data.value);
const chosen = computed(() => found.value?.choices[0]);
const wider = computed(() => found.value?.choices.slice(1) ?? []);
const showsWider = ref(false);
/** What was chosen by hand is of the account that it was chosen for. */
function another(): void {
  Object.assign(part.value, { by: "task", level: "", permissions: [], resources: [] });
}
function take_(level: string, permissions: string[]): void {
  part.value.by = permissions.length ? "permissions" : "level";
  part.value.level = permissions.length ? "" : level;
  part.value.permissions = permissions;
}
</script>

<template>
  <fieldset class="border-l-2 border-line pl-4">
    <legend class="small mb-1">{{ alone ? "What they get access to" : `Part ${place + 1}` }}</legend>
    <div class="grid gap-3">
      <AccountField v-model="part.account" required @update:model-value="another" />
      <FormField v-if="part.by === 'task'" label="What they need to do there">
        <select v-model="part.task" class="field w-full" required>
          <option value="" disabled>choose a task</option>
          <option v-if="needs.length" value="asked">What they asked for: {{ needs.join(", ") }}</option>
          <option v-for="one in tasks" :key="one.id" :value="one.id">
            {{ one.title }} ({{ one.needs.join(", ") }})
          </option>
        </select>
      </FormField>
      <p v-else class="text-plain">
        <b class="font-[620]">{{ part.level || part.permissions.join(", ") }}</b>, chosen by hand.
        <button type="button" class="link" @click="part.by = 'task'">Start from a task instead</button>
      </p>
      <div v-if="part.by === 'task' && found" class="text-plain" aria-live="polite">
        <p class="flex items-start gap-3">
          <PowerMarks v-if="chosen" :held="chosen.powers" :used="null" class="mt-[5px] shrink-0" />
          <span>{{ found.text }}</span>
        </p>
        <button
          v-if="wider.length"
          type="button"
          class="link mt-1"
          :aria-expanded="showsWider"
          @click="showsWider = !showsWider"
        >
          {{ showsWider ? "Fewer choices" : `Other choices (${wider.length})` }}
        </button>
        <ul v-if="showsWider" class="mt-1 grid gap-1">
          <li v-for="one in wider" :key="one.level + one.permissions.join()" class="flex items-start gap-3">
            <PowerMarks :held="one.powers" :used="null" class="mt-[5px] shrink-0" />
            <span>
              <button type="button" class="link" @click="take_(one.level, one.permissions)">
                {{ one.permissions.length ? one.permissions.join(" + ") : one.level }}
              </button>
              <span class="text-mute">
                {{ one.beyond.length ? ` also gives ${one.beyond.join(", ")}` : " gives nothing more" }}
              </span>
              <b v-if="one.money.length" class="font-semibold text-high"> and power over money</b>
              <b v-if="one.admitting.length" class="font-semibold text-high">
                and the power to let others in</b
              >
            </span>
          </li>
        </ul>
      </div>
      <p v-else-if="part.account && fit.isFetching.value" class="text-plain text-mute">Loading…</p>
      <PartsField v-model="part.resources" :account="part.account" label="Only some parts of it (optional)" />
      <button v-if="!alone" type="button" class="link justify-self-start text-plain" @click="$emit('remove')">
        Leave this part out
      </button>
    </div>
  </fieldset>
</template>
