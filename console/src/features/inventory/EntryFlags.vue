<script setup lang="ts">
import type { Flag } from "@/api/client";
import { useSession } from "@/api/session";
import FlagDetails from "@/features/rules/FlagDetails.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { day, exact, lastDay } from "@/ui/time";

defineProps<{ flags: Flag[]; state: string }>();
const { zone } = useSession();
</script>

<template>
  <h3 class="section">{{ flags.length ? "Why it is flagged" : "Flags" }}</h3>
  <p v-if="!flags.length" class="text-mute">
    {{
      state === "ended" ? "No rule looks at it any more." : "Nothing is stale or risky by the rules in force."
    }}
  </p>
  <details v-for="flag in flags" :key="flag.id" class="mb-3">
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
          · <span class="text-act">facts</span>
        </span>
      </span>
    </summary>
    <FlagDetails :flag="flag" class="mt-2 ml-[21px] border-l border-line pl-3" />
  </details>
</template>
