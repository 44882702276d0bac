<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Round } from "@/api/client";
import { Problem } from "@/api/problem";
import ProblemNote from "@/ui/ProblemNote.vue";
import { listType } from "@/ui/lists";
import FormField from "@/ui/FormField.vue";

/** Deciding in a sheet of one's own: what is not decided yet is taken away as a list, and sent back whole. */
const props = defineProps<{ round: Round; mine: number }>();
const emit = defineEmits<{ decided: []; leave: [] }>();
const own = ref(props.mine > 0);
const file = ref<File>();
const address = computed(
  () => `/api/v1/rounds/${props.round.ref}/decision-file${own.value ? "?mine=true" : ""}`,
);
const send = useMutation({
  mutationFn: (chosen: File) =>
    take(
      api.POST("/rounds/{review_round}/decision-file", {
        params: { path: { review_round: props.round.ref } },
        headers: { "Content-Type": listType(chosen) },
        body: chosen as never,
        bodySerializer: (body: unknown) => body as Blob,
      }),
    ),
  onSuccess: () => emit("decided"),
});
const wrong = computed(() => (send.error.value instanceof Problem ? send.error.value.errors : []));
function choose(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  send.reset();
}
</script>

<template>
  <form
    class="mt-4 max-w-2xl border-l-2 border-act pl-4"
    aria-label="Decide with a list"
    @submit.prevent="file && send.mutate(file)"
  >
    <p>
      Download what is not decided yet as a list, fill in the column <b class="font-[620]">choice</b> (and
      reason, level, until or to) in any spreadsheet, and upload it. It is taken as a whole or not at all; you
      can change the decisions until the round is finished.
    </p>
    <p class="mt-3 flex flex-wrap items-center gap-x-4 gap-y-2">
      <a class="button" :href="address" download="decisions.csv">Download the list (CSV)</a>
      <label v-if="mine" class="small inline-flex items-center gap-2">
        <input v-model="own" type="checkbox" /> only my items
      </label>
    </p>
    <FormField class="mt-4" label="The list with your choices (CSV in UTF-8, or .xlsx)">
      <input type="file" accept=".csv,.xlsx" class="text-plain" @change="choose" />
    </FormField>
    <p v-if="send.data.value" class="mt-3" role="status">
      <b class="font-[620] text-good">{{ send.data.value.decided }} decided.</b> Check them below, then finish
      the round.
    </p>
    <template v-else-if="wrong.length">
      <p class="mt-3 font-[620] text-high" role="alert">Nothing was decided. Correct these lines:</p>
      <ul class="mt-1 text-plain" aria-label="What is wrong with the list">
        <li v-for="one in wrong.slice(0, 12)" :key="`${one.at} ${one.problem}`">
          <b class="font-semibold">{{ one.at }}</b>: {{ one.problem }}
        </li>
        <li v-if="wrong.length > 12" class="text-mute">and {{ wrong.length - 12 }} more</li>
      </ul>
    </template>
    <ProblemNote v-else-if="send.error.value" :error="send.error.value" class="mt-3" />
    <p class="mt-4 flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="!file || send.isPending.value">
        Upload the list
      </button>
      <button type="button" class="button" @click="emit('leave')">Cancel</button>
    </p>
  </form>
</template>
