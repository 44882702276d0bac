<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import AskFields, { type Asked } from "./AskFields.vue";

/** Asking for access, in one's own words for the account. */
const props = defineProps<{ begins?: Asked & { name: string } }>();
const emit = defineEmits<{ done: [] }>();
const queries = useQueryClient();
const asked = ref<Asked>({ account: "", needs: [], reason: "", until: "", ...props.begins });
const ask = useMutation({
  mutationFn: () =>
    take(
      api.POST("/requests", {
        body: {
          account: asked.value.account,
          needs: asked.value.needs,
          reason: asked.value.reason,
          level: "",
          until: asked.value.until || null,
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
    <AskFields v-model="asked" :account="begins?.name" />
    <ProblemNote v-if="ask.error.value" :error="ask.error.value" />
    <div class="flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="ask.isPending.value || !asked.needs.length">
        Send the request
      </button>
      <button type="button" class="button" @click="emit('done')">Cancel</button>
    </div>
  </form>
</template>
