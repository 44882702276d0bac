<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref, useId } from "vue";
import { api, take, type Flag } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import DateField from "@/ui/DateField.vue";

const props = defineProps<{ flag: Flag }>();
const emit = defineEmits<{ done: [] }>();
const queries = useQueryClient();
const why = ref("");
const until = ref(new Date(Date.now() + 90 * 24 * 3_600_000).toISOString().slice(0, 10));
const id = useId();

async function changed(): Promise<void> {
  await Promise.all([
    queries.invalidateQueries({ queryKey: ["flags"] }),
    queries.invalidateQueries({ queryKey: ["entries"] }),
    queries.invalidateQueries({ queryKey: ["rules"] }),
  ]);
  emit("done");
}
const params = { path: { flag: props.flag.id } };
const accept = useMutation({
  mutationFn: () =>
    take(api.PUT("/flags/{flag}/acceptance", { params, body: { why: why.value, until: until.value } })),
  onSuccess: changed,
});
const refuse = useMutation({
  mutationFn: () => take(api.DELETE("/flags/{flag}/acceptance", { params })),
  onSuccess: changed,
});
</script>

<template>
  <div class="mt-2">
    <button
      v-if="flag.accepted"
      type="button"
      class="link"
      :disabled="refuse.isPending.value"
      @click="refuse.mutate()"
    >
      Reopen
    </button>
    <form v-else class="grid gap-2 border-l-2 border-act pl-3" @submit.prevent="accept.mutate()">
      <label :for="`${id}-why`" class="font-[620]">Reason</label>
      <textarea :id="`${id}-why`" v-model="why" class="field" rows="2" required maxlength="1000"></textarea>
      <label class="flex items-center gap-2">until the end of <DateField v-model="until" required /></label>
      <p class="small">It comes back after that day, and sooner if it gets worse.</p>
      <div class="flex gap-2">
        <button type="submit" class="button button-act" :disabled="accept.isPending.value || !why.trim()">
          Accept
        </button>
        <button type="button" class="button" @click="emit('done')">Cancel</button>
      </div>
    </form>
    <ProblemNote
      v-if="accept.error.value ?? refuse.error.value"
      :error="(accept.error.value ?? refuse.error.value)!"
      class="mt-2"
    />
  </div>
</template>
