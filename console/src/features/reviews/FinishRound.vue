<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take, type Round } from "@/api/client";
import TogetherList from "@/features/taking_back/TogetherList.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import FormField from "@/ui/FormField.vue";

/** What the decisions of a round do together, before they become orders; asks how many these are. */
const props = defineProps<{ round: Round }>();
const emit = defineEmits<{ close: []; finished: [] }>();
const params = { path: { review_round: props.round.ref } };
const said = ref("");
const { data: plan, error } = useQuery({
  queryKey: ["rounds", "plan", props.round.ref],
  queryFn: () =>
    take(
      api.POST("/rounds/{review_round}/plan", {
        params,
        body: { places: [], choice: "end-now", level: "", until: null },
      }),
    ),
  staleTime: 0,
});
const finish = useMutation({
  mutationFn: () =>
    take(api.POST("/rounds/{review_round}/finish", { params, body: { count: plan.value?.count ?? null } })),
  onSuccess: () => emit("finished"),
});
</script>

<template>
  <SidePanel label="Finish the round" @close="emit('close')">
    <p class="small">Round {{ round.ref }}</p>
    <h2 class="mt-2 pr-6">Finish “{{ round.review.name }}”?</h2>
    <ProblemNote v-if="error" :error="error" class="mt-6" />
    <p v-else-if="!plan" class="mt-6 text-mute" role="status">Working out what would happen…</p>
    <template v-else>
      <p class="mt-2 text-mute">
        {{
          plan.count
            ? `${plan.count} of ${round.count} decisions become orders; the others keep the access.`
            : "No decision becomes an order: everything is kept."
        }}
      </p>
      <template v-if="plan.count">
        <h3 class="section">What happens</h3>
        <p v-if="plan.looked_at < plan.count" class="small mb-3">
          The first {{ plan.looked_at }} of {{ plan.count }} were checked one by one.
        </p>
        <TogetherList :consequences="plan.consequences" :refused="plan.refused" />
        <FormField class="mt-4" :label="`To confirm, type how many orders these are: ${plan.count}`">
          <input v-model="said" class="field w-[120px]" inputmode="numeric" autocomplete="off" name="count" />
        </FormField>
      </template>
      <ProblemNote v-if="finish.error.value" :error="finish.error.value" class="mt-5" />
      <div class="acts">
        <button
          type="button"
          class="button"
          :class="plan.count ? 'button-danger' : 'button-act'"
          :disabled="finish.isPending.value || (plan.count > 0 && Number(said) !== plan.count)"
          @click="finish.mutate()"
        >
          {{ plan.count ? `Finish and order ${plan.count}` : "Finish" }}
        </button>
        <button type="button" class="button" @click="emit('close')">Cancel</button>
      </div>
    </template>
    <p class="mt-[18px] font-mono text-small text-mute">openlatch round finish {{ round.ref }} --dry-run</p>
  </SidePanel>
</template>
