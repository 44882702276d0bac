<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import FreshnessNote from "@/features/providers/FreshnessNote.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import AlikePair from "./AlikePair.vue";
import SamenessDecisions from "./SamenessDecisions.vue";
import { usePages } from "@/ui/usePages";

/** Parties that may be one, put to a person; and what people have said so far. */
const { may } = useSession();
const mayDecide = may("parties.join");
const found = useQuery({
  queryKey: ["parties", "alike", ""],
  queryFn: () => take(api.GET("/perhaps-the-same")),
});
const decided = usePages(["parties", "sameness"], (cursor) =>
  take(api.GET("/sameness-decisions", { params: { query: { limit: 50, cursor } } })),
);
const pairs = computed(() => found.data.value?.items ?? []);
const decisions = decided.items;
</script>

<template>
  <section
    class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4"
    aria-label="Perhaps the same"
    tabindex="0"
  >
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
      <div>
        <p class="small"><RouterLink class="link" to="/parties">Parties</RouterLink></p>
        <h1 class="mt-1">Perhaps the same</h1>
        <p class="mt-[5px] max-w-2xl text-mute">
          Open Latch treats two parties as one only where an address proves it. These may be the same: you
          decide, and later readings keep to it. You can undo it at any time.
        </p>
      </div>
      <FreshnessNote />
    </header>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-6 max-w-xl" />
    <p v-else-if="found.isPending.value" class="mt-6 text-mute" role="status">Loading…</p>
    <p v-else-if="!pairs.length" class="mt-6 font-[620]">
      No two parties look alike. There is nothing to decide.
    </p>
    <div v-else class="mt-5">
      <AlikePair
        v-for="pair in pairs"
        :key="`${pair.one.party.id} ${pair.other.party.id}`"
        :pair="pair"
        :may-decide="mayDecide"
      />
    </div>
    <template v-if="decisions.length">
      <h2 class="mt-8">Decided</h2>
      <SamenessDecisions :decisions="decisions" :may-undo="mayDecide" />
      <button v-if="decided.hasMore.value" type="button" class="button my-4" @click="decided.more()">
        More
      </button>
    </template>
    <ProblemNote v-if="decided.error.value" :error="decided.error.value" class="mt-6 max-w-xl" />
    <p class="mt-5 font-mono text-small text-mute">openlatch party alike</p>
  </section>
</template>
