<script setup lang="ts">
import { computed, reactive, watch } from "vue";
import type { Entry } from "@/api/client";
import { useSession } from "@/api/session";
import { lastDay } from "@/ui/time";
import type { Extension } from "./extension";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";
import HoursField from "@/ui/HoursField.vue";

/** What more is wanted of an access: a later end, more parts or hours, a level that gives more. */
const props = defineProps<{ entry: Entry; levels: string[]; parts: string[] }>();
const wish = defineModel<Extension>({ required: true });
const { zone } = useSession();
const said = reactive<Extension>({ ...wish.value });
watch(said, () => {
  wish.value = { ...said };
});
const others = computed(() => props.parts.filter((one) => !props.entry.resources.includes(one)));
</script>

<template>
  <div class="mt-4 grid gap-4">
    <fieldset v-if="entry.ends_at">
      <legend class="small mb-1">
        A later last day (now {{ lastDay(entry.ends_at, zone) }}, {{ zone }})
      </legend>
      <DateField v-model="said.until" class="mr-4" aria-label="A later last day" :disabled="said.endless" />
      <label class="inline-flex items-center gap-2">
        <input v-model="said.endless" type="checkbox" /> no end
      </label>
    </fieldset>
    <fieldset v-if="entry.resources.length">
      <legend class="small mb-1">Parts to add (now {{ entry.resources.join(", ") }})</legend>
      <label v-for="one in others" :key="one" class="mr-4 inline-flex items-center gap-2">
        <input v-model="said.parts" type="checkbox" :value="one" :disabled="said.everywhere" /> {{ one }}
      </label>
      <label class="inline-flex items-center gap-2">
        <input v-model="said.everywhere" type="checkbox" /> the whole account
      </label>
    </fieldset>
    <fieldset v-if="entry.hours">
      <legend class="small mb-1">It holds {{ entry.hours.text }} now, {{ entry.hours.zone }}</legend>
      <HoursField v-model="said.hours" label="All hours of the week it should hold" :disabled="said.always" />
      <label class="mt-1 inline-flex items-center gap-2">
        <input v-model="said.always" type="checkbox" /> at all hours
      </label>
    </fieldset>
    <FormField v-if="levels.length" label="A level that gives more, the least first">
      <select v-model="said.level" class="field w-full">
        <option value="">the level stays “{{ entry.level }}”</option>
        <option v-for="one in levels" :key="one" :value="one">{{ one }}</option>
      </select>
    </FormField>
    <p v-if="!entry.ends_at && !entry.resources.length && !entry.hours && !levels.length" class="text-mute">
      It has no end, is on the whole account at all hours, and no level that gives more is known.
    </p>
  </div>
</template>
