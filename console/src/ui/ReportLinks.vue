<script setup lang="ts">
/** A report to read in another tab, or to keep. `path` is that of what it tells of in the API. */
defineProps<{ path: string; over: boolean }>();
const FORMATS: [string, string][] = [
  ["pdf", "PDF"],
  ["csv", "sheet (CSV)"],
  ["json", "JSON, signed"],
];
</script>

<template>
  <p class="text-[13.5px]">
    <a class="link" :href="`/api/v1${path}/report?format=html`" target="_blank" rel="noopener"
      >{{ over ? "The report" : "The report so far" }}, to read</a
    >
    <template v-for="[form, name] in FORMATS" :key="form">
      ·
      <a class="link" :href="`/api/v1${path}/report?format=${form}`" download>{{
        over ? name : name.replace(", signed", "")
      }}</a>
    </template>
  </p>
</template>
