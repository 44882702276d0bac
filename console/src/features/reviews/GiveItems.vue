<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Round, type RoundItem } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import FormField from "@/ui/FormField.vue";

/** Items of someone is given to others; among several it is split, each for whole accounts. */
const props = defineProps<{ round: Round; items: RoundItem[] }>();
const emit = defineEmits<{ done: [places: number[]]; leave: [] }>();
const waiting = computed(() => props.items.filter((one) => one.outcome === "undecided"));
const holders = computed(() =>
  props.round.progress.filter((one) => waiting.value.some((item) => item.reviewer_id === one.id)),
);
const of = ref<string | null>(holders.value[0]?.id ?? null);
const to = ref<string[]>([]);
const places = computed(() =>
  waiting.value.filter((one) => one.reviewer_id === of.value).map((one) => one.place),
);
const people = useQuery({ queryKey: ["people"], queryFn: () => take(api.GET("/people")) });
const able = computed(() =>
  (people.data.value?.items ?? []).filter(
    (one) => ["owner", "manager", "reviewer"].includes(one.role) && one.id !== of.value,
  ),
);
const give = useMutation({
  mutationFn: async (given: number[]) => {
    const params = { path: { review_round: props.round.ref } };
    await take(api.POST("/rounds/{review_round}/assign", { params, body: { places: given, to: to.value } }));
    return given;
  },
  onSuccess: (given) => emit("done", given),
});
</script>

<template>
  <form class="mt-4 grid max-w-xl gap-3 border-l-2 border-act pl-4" @submit.prevent="give.mutate(places)">
    <FormField label="Items of">
      <select v-model="of" class="field w-full">
        <option v-for="one in holders" :key="one.address" :value="one.id">
          {{ one.name ? `${one.name} (${one.address})` : "nobody" }}
        </option>
      </select>
    </FormField>
    <fieldset>
      <legend class="small mb-1">go to; with several reviewers, the items are split by account</legend>
      <label v-for="one in able" :key="one.id" class="mr-5 inline-flex items-center gap-2">
        <input v-model="to" type="checkbox" :value="one.address" /> {{ one.name }}
        <span class="small">({{ one.address }})</span>
      </label>
    </fieldset>
    <ProblemNote v-if="give.error.value" :error="give.error.value" />
    <div class="flex gap-[10px]">
      <button
        type="submit"
        class="button button-act"
        :disabled="!to.length || !places.length || give.isPending.value"
      >
        Give {{ places.length }} {{ places.length === 1 ? "item" : "items" }}
      </button>
      <button type="button" class="button" @click="emit('leave')">Cancel</button>
    </div>
  </form>
</template>
