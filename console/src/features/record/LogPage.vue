<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import EventList from "./EventList.vue";

const head = useQuery({
  queryKey: ["log", "head"],
  queryFn: () => take(api.GET("/log/head")),
  refetchInterval: 5000,
});
const headFile = computed(
  () => `data:application/jose;charset=us-ascii,${encodeURIComponent(head.data.value?.signed ?? "")}`,
);
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Log">
    <header class="pr-6">
      <h1>Log</h1>
      <p class="mt-[5px] min-h-5 text-mute">
        <template v-if="head.data.value">
          {{ head.data.value.size.toLocaleString("en") }} events, each linked to the one before.
          <template v-if="head.data.value.unsealed"
            >{{ head.data.value.unsealed }} more will follow in a few seconds.</template
          >
          Root
          <code class="font-mono text-small" :title="head.data.value.root"
            >{{ head.data.value.root.slice(0, 16) }}…</code
          >
        </template>
      </p>
      <p class="small">
        Keep the
        <a class="link" :href="headFile" :download="`head-${head.data.value?.grown ?? 0}.jws`">signed head</a>
        somewhere else: with it anyone can check later that nothing before it was altered, removed or added.
        <code class="font-mono">openlatch log verify --head FILE</code>
      </p>
    </header>
    <div class="mt-4 min-h-0 flex-1 overflow-auto pr-6" tabindex="0" role="region" aria-label="Events">
      <EventList :size="head.data.value?.size" />
    </div>
  </section>
</template>
