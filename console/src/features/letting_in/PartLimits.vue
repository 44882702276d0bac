<script setup lang="ts">
import { computed, ref } from "vue";
import { useSession } from "@/api/session";
import DateField from "@/ui/DateField.vue";
import FormField from "@/ui/FormField.vue";
import HoursField from "@/ui/HoursField.vue";
import type { PartForm } from "./wish";

/** Within which limits one part of an offer holds: hours of the week, its own last day, powers that end earlier. */
const part = defineModel<PartForm>({ required: true });
const props = defineProps<{
  account: string;
  /** the powers that it would give, once that is worked out */
  given: string[];
  alone: boolean;
}>();
const { zone } = useSession();
const asksEarly = ref(false);
const early = computed(() => asksEarly.value || Object.values(part.value.powerUntil).some(Boolean));
</script>

<template>
  <fieldset class="grid gap-3" :class="alone ? '' : 'border-l-2 border-line pl-4'">
    <legend v-if="!alone" class="small mb-1">{{ account }}</legend>
    <HoursField v-model="part.hours" :label="`Hours of the week, ${zone} (optional)`" />
    <FormField v-if="!alone" label="Its own last day (optional)">
      <DateField v-model="part.until" />
    </FormField>
    <div v-if="props.given.length > 1" class="text-plain">
      <button type="button" class="link" :aria-expanded="early" @click="asksEarly = !asksEarly">
        Some powers end earlier
      </button>
      <div v-if="early" class="mt-2 grid gap-2">
        <label v-for="power in given" :key="power" class="flex items-center gap-3">
          <span class="w-[90px]">{{ power }}</span>
          <DateField v-model="part.powerUntil[power]" :aria-label="`${power} until`" />
        </label>
      </div>
    </div>
  </fieldset>
</template>
