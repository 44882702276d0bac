<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take, type Provider } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

const props = defineProps<{ provider: Provider }>();
const emit = defineEmits<{ done: [] }>();
const since = ref("");
const what = ref("");
const report = useMutation({
  mutationFn: () =>
    take(
      api.POST("/providers/{provider}/breaches", {
        params: { path: { provider: props.provider.id } },
        body: { since: since.value, what: what.value },
      }),
    ),
  onSuccess: () => emit("done"),
});
</script>

<template>
  <form class="grid max-w-xl gap-3" @submit.prevent="report.mutate()">
    <p class="text-plain text-mute">
      Whoever manages this workspace is told, and reviews that wait for a breach open a round about the
      entries at {{ provider.name }}.
    </p>
    <FormField label="The first day that may be affected">
      <DateField v-model="since" required />
    </FormField>
    <FormField :label="`What ${provider.name} said`">
      <input v-model="what" class="field w-full" required maxlength="1000" autocomplete="off" />
    </FormField>
    <ProblemNote v-if="report.error.value" :error="report.error.value" />
    <div class="flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="report.isPending.value">Tell them</button>
      <button type="button" class="button" @click="emit('done')">Cancel</button>
    </div>
  </form>
</template>
