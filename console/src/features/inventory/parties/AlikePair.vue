<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take, type Alike } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import KnownAs from "./KnownAs.vue";
import OutsideMark from "@/ui/OutsideMark.vue";
import FormField from "@/ui/FormField.vue";

/** Two parties that are perhaps the same: what they have in common, and the two answers. */
const props = defineProps<{ pair: Alike; mayDecide: boolean }>();
const reason = ref("");
const queries = useQueryClient();
const decide = useMutation({
  mutationFn: (same: boolean) => {
    const request = {
      params: { path: { party: props.pair.one.party.ref } },
      body: { other: props.pair.other.party.ref, reason: reason.value },
    };
    return take(
      same ? api.POST("/parties/{party}/join", request) : api.POST("/parties/{party}/keep-apart", request),
    );
  },
  onSuccess: () => queries.invalidateQueries(),
});
</script>

<template>
  <article
    class="max-w-[900px] border-t border-rule py-4"
    :aria-label="`${pair.one.party.name} and ${pair.other.party.name}`"
  >
    <div class="grid gap-x-8 gap-y-3 sm:grid-cols-2">
      <div v-for="side in [pair.one, pair.other]" :key="side.party.id" class="min-w-0">
        <RouterLink class="font-[620] break-words hover:underline" :to="`/parties/${side.party.ref}`">{{
          side.party.name || side.party.ref
        }}</RouterLink>
        <OutsideMark v-if="side.party.outside" />
        <p class="small">
          {{ side.party.kind }}{{ side.party.verified ? ", confirmed" : ", not confirmed" }}
          <template v-if="side.party.publisher"> · published by {{ side.party.publisher }}</template>
        </p>
        <KnownAs class="mt-1" :keys="side.keys" />
      </div>
    </div>
    <ul class="mt-3">
      <li v-for="one in pair.reasons" :key="one.says" class="break-words">{{ one.says }}</li>
    </ul>
    <form v-if="mayDecide" class="mt-3 flex flex-wrap items-end gap-[10px]" @submit.prevent>
      <FormField class="grow" label="Reason, for the log (optional)">
        <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
      </FormField>
      <button
        type="button"
        class="button button-act"
        :disabled="decide.isPending.value"
        @click="decide.mutate(true)"
      >
        Join them
      </button>
      <button type="button" class="button" :disabled="decide.isPending.value" @click="decide.mutate(false)">
        Keep them apart
      </button>
    </form>
    <ProblemNote v-if="decide.error.value" :error="decide.error.value" class="mt-3" />
  </article>
</template>
