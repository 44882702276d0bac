<script setup lang="ts">
import type { OfferTerms } from "@/api/client";
import { useSession } from "@/api/session";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { moment } from "@/ui/time";

/** What would be offered to whom exactly, and what is worth knowing before it is sent. */
defineProps<{ terms: OfferTerms }>();
const { zone } = useSession();
</script>

<template>
  <div>
    <p class="small">The letter goes to</p>
    <p class="mt-1 font-mono text-lead break-all">{{ terms.address }}</p>
    <p v-if="terms.ascii" class="small font-mono">sent as {{ terms.ascii }}</p>
    <p class="mt-1 text-plain text-mute">
      {{ terms.known ? `${terms.known.name}, known here` : "A new address"
      }}{{ terms.outside ? ", outside the circle" : ", in the circle" }}.
    </p>
    <ul class="mt-4 grid gap-2">
      <li v-for="one in terms.parts" :key="one.account.id" class="border-l-2 border-act pl-3">
        {{ one.sentence }}
        <span class="small block">“{{ one.level }}” at {{ one.provider }}</span>
      </li>
    </ul>
    <ul v-if="terms.remarks.length" class="mt-4 grid gap-3">
      <li v-for="one in terms.remarks" :key="one.text" class="flex gap-3 text-plain">
        <SeverityNotch :severity="one.severity" class="shrink-0" />
        <span>
          <b v-if="one.stops" class="font-[650] text-critical">This cannot be sent. </b>{{ one.text }}
          <span class="text-mute"> {{ one.next_step }}</span>
        </span>
      </li>
    </ul>
    <p class="mt-4 text-plain text-mute">It can be accepted until {{ moment(terms.lapses_at, zone) }}.</p>
  </div>
</template>
