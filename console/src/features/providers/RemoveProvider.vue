<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { api, take, type Provider } from "@/api/client";
import AreYouSure from "@/ui/AreYouSure.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

/** Removing a provider: what it comes to is told first, and so is what has to be over before. */
const props = defineProps<{ provider: Provider }>();
const emit = defineEmits<{ done: []; removed: [] }>();
const queries = useQueryClient();
const params = { path: { provider: props.provider.id } };
const removal = useQuery({
  queryKey: ["provider-removal", props.provider.id],
  queryFn: () => take(api.GET("/providers/{provider}/removal", { params })),
  gcTime: 0,
});
const remove = useMutation({
  mutationFn: (entries: number) =>
    take(api.DELETE("/providers/{provider}", { params: { ...params, query: { entries } } })),
  onSuccess: async () => {
    emit("removed");
    await queries.invalidateQueries();
  },
  onError: () => removal.refetch(),
});
</script>

<template>
  <section class="mt-4 max-w-2xl" :aria-label="`Remove ${provider.name}`">
    <ProblemNote v-if="removal.error.value" :error="removal.error.value" />
    <p v-else-if="!removal.data.value" class="text-mute" role="status">Working out what would happen…</p>
    <template v-else-if="removal.data.value.hindrances.length">
      <h3 class="font-[620]">{{ provider.name }} cannot be removed yet.</h3>
      <ul class="mt-2 list-disc pl-5">
        <li v-for="one in removal.data.value.hindrances" :key="one.matter">
          {{ one.says }} {{ one.next_step }}
        </li>
      </ul>
      <button type="button" class="button mt-3" @click="emit('done')">Close</button>
    </template>
    <AreYouSure
      v-else
      :does="`Remove ${provider.name}`"
      :busy="remove.isPending.value"
      @yes="remove.mutate(removal.data.value.entries)"
      @no="emit('done')"
    >
      <h3 class="font-[620]">If {{ provider.name }} is removed</h3>
      <ul class="mt-2 list-disc pl-5">
        <li v-for="sentence in removal.data.value.says" :key="sentence">{{ sentence }}</li>
      </ul>
    </AreYouSure>
    <ProblemNote v-if="remove.error.value" :error="remove.error.value" class="mt-3" />
  </section>
</template>
