<script setup lang="ts">
import type { Event } from "@/api/client";
import { useSession } from "@/api/session";
import { exact, moment } from "@/ui/time";

defineProps<{ events: readonly Event[] }>();
const { zone } = useSession();

function entryAddress(entry: string) {
  return { path: "/inventory", query: { state: "offered,live,paused,ending,ended", entry } };
}
function text(event: Event, name: string): string {
  return String(event.content[name] ?? "");
}
</script>

<template>
  <table class="w-full min-w-[720px] border-collapse text-left">
    <thead class="text-[12.5px] text-mute">
      <tr class="border-b border-rule">
        <th class="head w-[70px]">Number</th>
        <th class="head w-[150px]">When</th>
        <th class="head w-[140px]">Who</th>
        <th class="head">What</th>
        <th class="head w-[130px]">Link</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="event in events" :key="event.id" class="border-b border-line">
        <td class="cell text-mute tabular-nums">{{ event.number ?? "…" }}</td>
        <td class="cell whitespace-nowrap" :title="exact(text(event, 'at'))">
          {{ moment(text(event, "at"), zone) }}
        </td>
        <td class="cell">
          {{ text(event, "actor") }}
          <span v-if="text(event, 'on_behalf_of')" class="small block"
            >for {{ text(event, "on_behalf_of") }}</span
          >
        </td>
        <td class="cell">
          <span class="font-[620]">{{ event.says }}</span>{{ " " }}
          <RouterLink v-if="event.about" class="link ml-1" :to="entryAddress(event.about.ref)">{{
            event.about.name
          }}</RouterLink>
          <span class="small block break-words">{{ event.detail }}</span>
        </td>
        <td class="cell font-mono text-[12px] text-mute" :title="event.link ?? ''">
          {{ event.link ? `${event.link.slice(0, 12)}…` : "not sealed yet" }}
        </td>
      </tr>
    </tbody>
  </table>
</template>
