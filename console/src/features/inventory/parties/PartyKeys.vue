<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, shallowRef } from "vue";
import { api, take, type KnownAs as Known } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import AlikePair from "./AlikePair.vue";
import KnownAs from "./KnownAs.vue";
import FormField from "@/ui/FormField.vue";

/** What providers know a party by, each key with the way to part it; and whom else it may be. */
const props = defineProps<{ party: string; name: string }>();
const { may } = useSession();
const mayDecide = may("parties.join");
const queries = useQueryClient();
const found = useQuery({
  queryKey: computed(() => ["parties", "keys", props.party]),
  queryFn: () => take(api.GET("/parties/{party}/keys", { params: { path: { party: props.party } } })),
});
const alike = useQuery({
  queryKey: computed(() => ["parties", "alike", props.party]),
  queryFn: () => take(api.GET("/perhaps-the-same", { params: { query: { party: props.party } } })),
});
const keys = computed(() => found.data.value?.items ?? []);
const parting = shallowRef<Known | null>(null);
const reason = ref("");
const part = useMutation({
  mutationFn: (one: Known) =>
    take(
      api.POST("/parties/{party}/part", {
        params: { path: { party: props.party } },
        body: { provider: one.provider.id, key: one.key, reason: reason.value },
      }),
    ),
  onSuccess: async () => {
    parting.value = null;
    await queries.invalidateQueries();
  },
});
</script>

<template>
  <div>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
    <p v-else-if="found.isPending.value" class="text-mute" role="status">Loading…</p>
    <KnownAs v-else class="max-w-2xl" :keys="keys">
      <template #default="{ known }">
        <button
          v-if="mayDecide && keys.length > 1 && parting !== known"
          type="button"
          class="link text-plain"
          @click="parting = known"
        >
          This is someone else…
        </button>
        <form v-if="parting === known" class="mt-2 grid gap-2" @submit.prevent="part.mutate(known)">
          <p>
            What {{ known.provider.name }} knows as
            <code class="font-mono text-small">{{ known.key }}</code> becomes a party of its own, with all its
            access there. {{ name }} keeps the rest. You can undo it under
            <RouterLink class="link" to="/parties/perhaps-the-same">Perhaps the same</RouterLink>.
          </p>
          <FormField label="Reason, for the log (optional)">
            <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" name="reason" />
          </FormField>
          <ProblemNote v-if="part.error.value" :error="part.error.value" />
          <div class="flex gap-[10px]">
            <button type="submit" class="button button-act" :disabled="part.isPending.value">
              Part them
            </button>
            <button type="button" class="button" @click="parting = null">Cancel</button>
          </div>
        </form>
      </template>
    </KnownAs>
    <template v-if="alike.data.value?.items.length">
      <h3 class="section">Perhaps the same</h3>
      <AlikePair
        v-for="pair in alike.data.value.items"
        :key="`${pair.one.party.id} ${pair.other.party.id}`"
        :pair="pair"
        :may-decide="mayDecide"
      />
    </template>
    <ProblemNote v-if="alike.error.value" :error="alike.error.value" class="mt-4 max-w-xl" />
  </div>
</template>
