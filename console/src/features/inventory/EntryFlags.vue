<script setup lang="ts">
import type { Entry } from "@/api/client";
import { useSession } from "@/api/session";
import FlagDetails from "@/features/rules/FlagDetails.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { letGo } from "@/ui/ended";
import { day, exact, lastDay } from "@/ui/time";

defineProps<{ entry: Entry }>();
const session = useSession();
const { zone } = session;
const mayAccept = session.may("flags.accept");
</script>

<template>
  <h3 class="section">{{ entry.flags.length ? "Why it is flagged" : "Flags" }}</h3>
  <p v-if="!entry.flags.length" class="text-mute">
    {{
      entry.state === "ended"
        ? letGo(entry)
          ? "It is no longer watched, so it has no flags."
          : "It has ended, so it has no flags."
        : "Nothing is stale or risky by the rules of your policy."
    }}
  </p>
  <details v-for="flag in entry.flags" :key="flag.id" class="mb-3">
    <summary class="flex cursor-pointer list-none gap-3" :class="flag.accepted ? 'opacity-70' : ''">
      <SeverityNotch :severity="flag.severity" class="self-start" />
      <span>
        {{ flag.reason }}
        <span class="small block">
          <span class="sr-only">{{ flag.severity }}, </span>{{ flag.title }} ·
          <template v-if="flag.accepted">accepted until {{ lastDay(flag.accepted.until, zone) }}</template>
          <template v-else
            >since <span :title="exact(flag.raised_at)">{{ day(flag.raised_at, zone) }}</span></template
          >
          · <span class="text-act">{{ mayAccept ? "why, or accept it" : "why" }}</span>
        </span>
      </span>
    </summary>
    <FlagDetails :flag="flag" class="mt-2 ml-[21px] border-l border-line pl-3" />
  </details>
</template>
