<script setup lang="ts">
import { computed } from "vue";
import type { BatchPlan } from "@/api/client";
import SeverityNotch from "@/ui/SeverityNotch.vue";

/** What many acts do together: what is grave entry by entry, the rest in one line each. */
const props = defineProps<{ consequences: BatchPlan["consequences"]; refused?: BatchPlan["refused"] }>();
const MOST = 20;

const lines = computed(() =>
  props.consequences.map((one) => {
    const same = new Set(one.entries.map((named) => named.text)).size === 1;
    const grave = one.severity === "high" || one.severity === "critical";
    return { ...one, apart: grave && !same, lead: one.times > 1 && !same && !grave, named: one.times > 1 };
  }),
);
/** What cannot be done, by why. */
const reasons = computed(() => {
  const found = new Map<string, BatchPlan["refused"]>();
  for (const one of props.refused ?? []) found.set(one.why, [...(found.get(one.why) ?? []), one]);
  return [...found];
});
const rest = (one: BatchPlan["consequences"][number], shown: number): string =>
  one.times > shown ? ` and ${one.times - shown} more` : "";
</script>

<template>
  <ul>
    <li v-for="one in lines" :key="one.kind" class="mb-3 flex gap-3 leading-[1.42]">
      <SeverityNotch :severity="one.severity" :height="18" class="shrink-0 translate-y-[1px] self-start" />
      <ul v-if="one.apart" class="min-w-0">
        <li v-for="named in one.entries.slice(0, MOST)" :key="named.entry.id" class="mb-1">
          <b class="font-[620]">{{ named.entry.name }}.</b> {{ named.text }}
        </li>
        <li v-if="one.times > MOST" class="small">and {{ one.times - MOST }} more like these</li>
      </ul>
      <div v-else class="min-w-0">
        <span v-if="one.lead" class="small">{{ one.times }} entries, such as </span>{{ one.text }}
        <span v-if="one.named" class="small block">
          {{
            one.entries
              .slice(0, 3)
              .map((named) => named.entry.name)
              .join(", ")
          }}{{ rest(one, 3) }}
        </span>
      </div>
    </li>
  </ul>
  <template v-if="refused?.length">
    <h3 class="section">Not possible for {{ refused.length }}</h3>
    <ul class="text-plain">
      <li v-for="[why, those] in reasons" :key="why" class="mb-2">
        {{ why }}
        <span class="small block">
          <template v-for="(one, place) in those.slice(0, 8)" :key="one.entry.id"
            ><template v-if="place">, </template
            ><RouterLink class="link" :to="{ path: '/inventory', query: { entry: one.entry.ref } }">{{
              one.entry.name
            }}</RouterLink></template
          ><template v-if="those.length > 8"> and {{ those.length - 8 }} more</template>
        </span>
      </li>
    </ul>
  </template>
</template>
