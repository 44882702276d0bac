<script setup lang="ts">
import type { Flag } from "@/api/client";
import { useSession } from "@/api/session";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { day, exact } from "@/ui/time";

defineProps<{ flags: Flag[]; state: string }>();
const { zone } = useSession();

function fact(value: string | number): string {
  return typeof value === "string" && /^\d{4}-\d\d-\d\dT/.test(value)
    ? day(value, zone.value)
    : String(value);
}
</script>

<template>
  <h3 class="section">{{ flags.length ? "Why it is flagged" : "Flags" }}</h3>
  <p v-if="!flags.length" class="text-mute">
    {{
      state === "ended"
        ? "It has ended, so nothing is flagged any more."
        : "Nothing is stale or risky by the rules in force."
    }}
  </p>
  <details v-for="flag in flags" :key="flag.id" class="mb-3">
    <summary class="flex cursor-pointer list-none gap-3">
      <SeverityNotch :severity="flag.severity" class="self-start" />
      <span>
        {{ flag.reason }}
        <span class="small block">
          <span class="sr-only">{{ flag.severity }}, </span>{{ flag.title }} · since
          <span :title="exact(flag.raised_at)">{{ day(flag.raised_at, zone) }}</span> ·
          <span class="text-act">facts</span>
        </span>
      </span>
    </summary>
    <div class="mt-2 ml-[21px] border-l border-line pl-3 text-[13px]">
      <p class="text-mute">{{ flag.why }}</p>
      <dl class="mt-2 grid grid-cols-[110px_1fr] gap-y-1">
        <template v-for="(value, name) in flag.facts" :key="name">
          <dt class="text-mute">{{ String(name).replaceAll("_", " ") }}</dt>
          <dd class="break-words">{{ fact(value) }}</dd>
        </template>
      </dl>
      <p class="mt-2"><span class="text-mute">Cleared by:</span> {{ flag.clears }}</p>
    </div>
  </details>
</template>
