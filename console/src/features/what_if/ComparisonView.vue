<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type Versions } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";

/** Two versions of a proposal beside each other: what only the one would change, and what only the other. */
const props = defineProps<{ proposal: string; first: number; second: number }>();
const found = useQuery({
  queryKey: computed(() => ["proposals", props.proposal, "comparison", props.first, props.second]),
  queryFn: () =>
    take(
      api.GET("/proposals/{proposal}/comparison", {
        params: { path: { proposal: props.proposal }, query: { first: props.first, second: props.second } },
      }),
    ),
});
const sides = computed(() => {
  const both = found.data.value;
  return both
    ? [
        { number: both.first, lines: both.only_first },
        { number: both.second, lines: both.only_second },
      ]
    : [];
});
type Line = Versions["only_first"][number];
function looks(line: Line): string {
  if (line.kind === "limit") return "border-critical font-[620]";
  return line.kind === "gain" && line.outside ? "border-high font-[620]" : "border-rule";
}
</script>

<template>
  <section class="max-w-[980px]" aria-label="Comparison">
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
    <p v-else-if="!found.data.value" class="text-mute" role="status">Comparing…</p>
    <p
      v-else-if="sides.every((side) => !side.lines.length)"
      class="border-l-4 border-good pl-3 text-lead font-[620]"
    >
      Versions {{ first }} and {{ second }} would change the same.
    </p>
    <div v-else class="grid grid-cols-2 gap-x-10 gap-y-6 max-md:grid-cols-1">
      <section v-for="side in sides" :key="side.number">
        <h3 class="section">
          Only version {{ side.number }} <span class="small">{{ side.lines.length }}</span>
        </h3>
        <p v-if="!side.lines.length" class="text-plain text-mute">
          Nothing that the other version would not do.
        </p>
        <ul v-else class="grid gap-2 text-plain">
          <li
            v-for="line in side.lines"
            :key="line.kind + line.text"
            class="border-l-2 pl-3"
            :class="looks(line)"
          >
            {{ line.text }}
          </li>
        </ul>
      </section>
    </div>
    <p v-if="found.data.value?.partly" class="small mt-4">
      There is too much to compare line by line; what is only summed up is compared by its sums.
    </p>
  </section>
</template>
