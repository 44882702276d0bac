<script setup lang="ts">
import type { AccessRequest } from "@/api/client";
import { POWERS } from "@/api/words";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

/** What someone asks for: the account in their own words, what they need there, what for, and until when. */
export interface Asked {
  account: string;
  needs: AccessRequest["needs"];
  reason: string;
  until: string;
}
const asked = defineModel<Asked>({ required: true });
defineProps<{ /** the name of the account, where that is decided */ account?: string }>();
</script>

<template>
  <FormField v-if="!account" label="Which account, as you know it">
    <input
      v-model="asked.account"
      class="field w-full"
      required
      maxlength="200"
      autocomplete="off"
      name="account"
    />
  </FormField>
  <fieldset>
    <legend class="small mb-1">What you need to do there</legend>
    <div class="flex flex-wrap gap-x-4 gap-y-1">
      <label v-for="power in POWERS" :key="power" class="flex gap-[6px]">
        <input v-model="asked.needs" type="checkbox" :value="power" /> {{ power }}
      </label>
    </div>
  </fieldset>
  <FormField label="What you need it for; they decide by that">
    <input
      v-model="asked.reason"
      class="field w-full"
      required
      maxlength="1000"
      autocomplete="off"
      name="reason"
    />
  </FormField>
  <FormField label="The last day you need it, if you know">
    <DateField v-model="asked.until" />
  </FormField>
</template>
