<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import SomebodyElse from "@/ui/SomebodyElse.vue";
import AddressField from "../AddressField.vue";
import FormField from "@/ui/FormField.vue";

/** Writing down, in a moment, that someone was told a password. */
const props = defineProps<{ account: string }>();
const queries = useQueryClient();
const who = ref("");
const what = ref("");
const keep = useMutation({
  mutationFn: (somebodyElse: boolean) =>
    take(
      api.POST("/secrets", {
        body: {
          account: props.account,
          who: who.value,
          what: what.value,
          powers: [],
          reason: "",
          somebody_else: somebodyElse,
        },
      }),
    ),
  onSuccess: async () => {
    who.value = "";
    await queries.invalidateQueries({ queryKey: ["entries"] });
  },
});
const kept = keep.data;
</script>

<template>
  <form class="max-w-xl" aria-label="Record who knows a secret" @submit.prevent="keep.mutate(false)">
    <div class="flex flex-wrap items-end gap-3">
      <AddressField
        v-model="who"
        class="w-[270px]"
        label="Who knows it: a name or an address"
        required
        name="who"
      />
      <FormField label="What">
        <input v-model="what" class="field w-[170px]" maxlength="200" placeholder="a password" name="what" />
      </FormField>
      <button type="submit" class="button" :disabled="keep.isPending.value">Record it</button>
    </div>
    <ProblemNote v-if="keep.error.value" :error="keep.error.value" class="mt-3">
      <SomebodyElse :error="keep.error.value" @sure="keep.mutate(true)" />
    </ProblemNote>
    <p v-else-if="kept" class="mt-3" role="status">
      <b class="font-[620]">{{ kept.party.name }}</b> knows {{ kept.level }}. It has a flag until the secret
      is changed.
      <RouterLink class="link" :to="{ path: '/offers/new', query: { replaces: kept.ref } }"
        >Offer access instead</RouterLink
      >
    </p>
  </form>
</template>
