<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRouter } from "vue-router";
import { api, take, type OfferWish } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";

/** What an offer would change once it is accepted: flags, risk; and the way to look at it in a what-if. */
const props = defineProps<{ wish: OfferWish }>();
const router = useRouter();
const mayPropose = useSession().may("proposals.create");
const preview = useQuery({
  queryKey: computed(() => ["offers", "preview", props.wish]),
  queryFn: () => take(api.POST("/offers/preview", { body: props.wish })),
  retry: false,
  staleTime: 0,
});
const outcome = computed(() => preview.data.value?.outcome);
const propose = useMutation({
  mutationFn: () => take(api.POST("/proposals", { body: { body: preview.data.value?.proposal ?? {} } })),
  onSuccess: (made) => router.push(`/what-if/${made.ref}`),
});
</script>

<template>
  <div>
    <h3>Flags it would raise</h3>
    <ProblemNote v-if="preview.error.value" :error="preview.error.value" class="mt-2" />
    <p v-else-if="!outcome" class="mt-2 text-mute" role="status">Working it out…</p>
    <template v-else>
      <p v-if="!outcome.flags_raised.length" class="mt-2 text-mute">None.</p>
      <ul v-else class="mt-2 grid gap-2">
        <li v-for="one in outcome.flags_raised" :key="one.rule + one.about" class="flex gap-3 text-plain">
          <SeverityNotch :severity="one.severity" class="shrink-0" />
          <span
            >{{ one.reason }} <span class="text-mute">{{ one.about }}</span></span
          >
        </li>
      </ul>
      <template v-if="outcome.risks.length">
        <h3 class="mt-4">Risk</h3>
        <ul class="mt-1 text-plain">
          <li v-for="one in outcome.risks" :key="one.subject + one.about">
            {{ one.about }}: {{ one.before }} → <b class="font-[620]">{{ one.after }}</b>
          </li>
        </ul>
      </template>
      <button
        v-if="mayPropose"
        type="button"
        class="link mt-4 text-plain"
        :disabled="propose.isPending.value"
        @click="propose.mutate()"
      >
        See everything it changes in a what-if
      </button>
      <ProblemNote v-if="propose.error.value" :error="propose.error.value" class="mt-2" />
    </template>
  </div>
</template>
