<script setup lang="ts">
import type { Offer } from "@/api/client";
import PowerMarks from "@/ui/PowerMarks.vue";
import { lastDay } from "@/ui/time";

/** What an offer would let whoever it is to do, part by part. */
defineProps<{ offer: Offer; zone: string }>();
</script>

<template>
  <ul class="grid gap-4">
    <li v-for="part in offer.parts" :key="part.account.id" class="border-l-2 border-act pl-4">
      <p class="text-lead font-[620]">{{ part.account.name }}</p>
      <p class="text-mute">
        “{{ part.level }}” at {{ part.provider
        }}<template v-if="part.resources.length">, on {{ part.resources.join(", ") }}</template>
      </p>
      <p class="mt-1 flex items-center gap-3">
        <PowerMarks :held="part.powers" :used="null" /> {{ part.powers.join(", ") }}
      </p>
      <p class="text-plain text-mute">
        <template v-if="part.hours">{{ part.hours }}; </template
        >{{ part.ends_at ? `through ${lastDay(part.ends_at, zone)}` : "without an end" }}
      </p>
      <p v-if="part.live" class="text-plain font-[620] text-good">You have access.</p>
      <p v-else-if="part.order_state" class="text-plain text-mute">
        {{ part.why || "It is being set up." }}
      </p>
    </li>
  </ul>
</template>
