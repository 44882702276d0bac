<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import ProblemNote from "./ProblemNote.vue";

/** A report to read in another tab, or to keep. It is that of a round or of a batch, by its short form. */
const props = defineProps<{ kind: "round" | "batch"; of: string; over: boolean }>();
const path = computed(() => `/api/v1/${props.kind === "round" ? "rounds" : "batches"}/${props.of}`);
const FORMATS: [string, string][] = [
  ["csv", "sheet (CSV)"],
  ["json", "JSON, signed"],
];
const OFTEN = 500;

/** A PDF takes seconds to draw: a job does it, and the browser fetches it once it is there. */
const printing = useMutation({
  mutationFn: async () => {
    const asked = await take(
      props.kind === "round"
        ? api.POST("/rounds/{review_round}/prints", { params: { path: { review_round: props.of } } })
        : api.POST("/batches/{batch}/prints", { params: { path: { batch: props.of } } }),
    );
    let now = asked;
    while (now.finished_at === null) {
      await new Promise((over) => setTimeout(over, OFTEN));
      now = await take(api.GET("/prints/{print_ref}", { params: { path: { print_ref: asked.ref } } }));
    }
    if (now.state === "failed") {
      const detail = `The report could not be printed: ${now.trouble}. Nothing of it is lost.`;
      throw new Problem({ title: "Not printed", detail, next: "Try again, or take the sheet." }, 500);
    }
    window.location.assign(`/api/v1/prints/${asked.ref}/file`);
  },
});
</script>

<template>
  <div>
    <p class="text-plain">
      <a class="link" :href="`${path}/report?format=html`" target="_blank" rel="noopener"
        >{{ over ? "The report" : "The report so far" }}, to read</a
      >
      ·
      <button
        type="button"
        class="link"
        :disabled="printing.isPending.value"
        :aria-busy="printing.isPending.value"
        @click="printing.mutate()"
      >
        {{ printing.isPending.value ? "printing the PDF…" : "PDF" }}
      </button>
      <template v-for="[form, name] in FORMATS" :key="form">
        ·
        <a class="link" :href="`${path}/report?format=${form}`" download>{{
          over ? name : name.replace(", signed", "")
        }}</a>
      </template>
    </p>
    <ProblemNote v-if="printing.error.value" :error="printing.error.value" class="mt-2 max-w-xl" />
  </div>
</template>
