<script setup lang="ts">
import { computed, reactive, watch } from "vue";
import type { Entry } from "@/api/client";
import { useSession } from "@/api/session";
import { lastDay } from "@/ui/time";
import type { Extension } from "./extension";

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
  <div class="mt-4 grid gap-3">
    <div v-if="entry.ends_at" class="flex flex-wrap items-end gap-x-4 gap-y-2">
      <label>
        <span class="small mb-1 block">
          A later last day; it is {{ lastDay(entry.ends_at, zone) }} now, {{ zone }}
        </span>
        <input v-model="said.until" type="date" class="field" :disabled="said.endless" />
      </label>
      <label class="inline-flex items-center gap-2 pb-2">
        <input v-model="said.endless" type="checkbox" /> no end
      </label>
    </div>
    <fieldset v-if="entry.resources.length">
      <legend class="small mb-1">Parts to add; it is on {{ entry.resources.join(", ") }} now</legend>
      <label v-for="one in others" :key="one" class="mr-4 inline-flex items-center gap-2">
        <input v-model="said.parts" type="checkbox" :value="one" :disabled="said.everywhere" /> {{ one }}
      </label>
      <label class="inline-flex items-center gap-2">
        <input v-model="said.everywhere" type="checkbox" /> the whole account
      </label>
    </fieldset>
    <div v-if="entry.hours" class="flex flex-wrap items-end gap-x-4 gap-y-2">
      <label>
        <span class="small mb-1 block">All hours in which it is to hold; now {{ entry.hours }}</span>
        <input
          v-model="said.hours"
          class="field"
          placeholder="tue,fri 19:00-04:00"
          :disabled="said.always"
          autocomplete="off"
        />
      </label>
      <label class="inline-flex items-center gap-2 pb-2">
        <input v-model="said.always" type="checkbox" /> at all hours
      </label>
    </div>
    <label v-if="levels.length">
      <span class="small mb-1 block">A level that gives more, the least first</span>
      <select v-model="said.level" class="field w-full">
        <option value="">the level stays “{{ entry.level }}”</option>
        <option v-for="one in levels" :key="one" :value="one">{{ one }}</option>
      </select>
    </label>
    <p v-if="!entry.ends_at && !entry.resources.length && !entry.hours && !levels.length" class="text-mute">
      It has no end, is on the whole account at all hours, and no level that gives more is known.
    </p>
  </div>
</template>
