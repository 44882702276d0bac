<script setup lang="ts">
import type { Event } from "@/api/client";
import { useSession } from "@/api/session";
import { exact, moment } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "number", title: "Number", class: "w-[70px]", cell: "text-mute" },
  { key: "when", title: "When", class: "w-[150px]", cell: "whitespace-nowrap" },
  { key: "who", title: "Who", class: "w-[140px]" },
  { key: "what", title: "What" },
];

defineProps<{ events: readonly Event[] }>();
const { zone } = useSession();

function text(event: Event, name: string): string {
  return String(event.content[name] ?? "");
}
</script>

<template>
  <DataTable :columns="COLUMNS" :rows="events" :key-of="(event) => event.id" :least="720">
    <template #number="{ row: event }">{{ event.number ?? "…" }}</template>
    <template #when="{ row: event }">
      <span :title="exact(text(event, 'at'))">{{ moment(text(event, "at"), zone) }}</span>
    </template>
    <template #who="{ row: event }"
      >{{ text(event, "actor") }}
      <span v-if="text(event, 'on_behalf_of')" class="small block"
        >for {{ text(event, "on_behalf_of") }}</span
      >
    </template>
    <template #what="{ row: event }">
      {{ event.says }}
      <RouterLink
        v-if="event.about"
        class="link ml-1 font-mono text-small"
        :to="`/entries/${event.about.ref}`"
        >{{ event.about.ref }}</RouterLink
      >
      <span class="small block break-words">{{ event.detail }}</span>
      <details class="small mt-1">
        <summary class="cursor-pointer">The event as it is sealed</summary>
        <pre
          class="mt-1 max-w-[640px] overflow-auto rounded bg-wash p-3 font-mono wrap-anywhere whitespace-pre-wrap"
          >{{ JSON.stringify(event.content, null, 2) }}</pre>
        <p class="mt-1 wrap-anywhere">Link: {{ event.link ?? "not sealed yet" }}</p>
      </details>
    </template>
  </DataTable>
</template>
