<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { reactive } from "vue";
import { api, take, type AccessRequest } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import { POWERS } from "@/ui/powers";

/** Asking for access, in one's own words for the account. */
const emit = defineEmits<{ done: [] }>();
const queries = useQueryClient();
const form = reactive({ account: "", needs: [] as AccessRequest["needs"], reason: "", until: "" });
const ask = useMutation({
  mutationFn: () =>
    take(
      api.POST("/requests", {
        body: {
          account: form.account,
          needs: form.needs,
          level: "",
          reason: form.reason,
          until: form.until || null,
        },
      }),
    ),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["requests"] });
    emit("done");
  },
});
</script>

<template>
  <form class="grid gap-4" aria-label="Ask for access" @submit.prevent="ask.mutate()">
    <label class="block">
      <span class="small mb-1 block">Which account, as you know it</span>
      <input v-model="form.account" class="field w-full" required maxlength="200" autocomplete="off" />
    </label>
    <fieldset>
      <legend class="small mb-1">What you need to do there</legend>
      <div class="flex flex-wrap gap-x-4 gap-y-1">
        <label v-for="power in POWERS" :key="power" class="flex gap-[6px]">
          <input v-model="form.needs" type="checkbox" :value="power" /> {{ power }}
        </label>
      </div>
    </fieldset>
    <label class="block">
      <span class="small mb-1 block">What for; they decide by that</span>
      <input v-model="form.reason" class="field w-full" required maxlength="1000" autocomplete="off" />
    </label>
    <label class="block">
      <span class="small mb-1 block">Your last day there, if you know it</span>
      <input v-model="form.until" type="date" class="field" />
    </label>
    <ProblemNote v-if="ask.error.value" :error="ask.error.value" />
    <div class="flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="ask.isPending.value || !form.needs.length">
        Ask for it
      </button>
      <button type="button" class="button" @click="emit('done')">Leave it</button>
    </div>
  </form>
</template>
