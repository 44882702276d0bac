<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import RiskPlot from "@/charts/RiskPlot.vue";
import { useNow } from "@/ui/clock";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";

const props = defineProps<{ account: string }>();
const { zone } = useSession();
const now = useNow();
const risk = useQuery({
  queryKey: ["accounts", "risk", props.account],
  queryFn: () => take(api.GET("/accounts/{account}/risk", { params: { path: { account: props.account } } })),
});
const flags = useQuery({
  queryKey: ["flags", "account", props.account],
  queryFn: () =>
    take(api.GET("/flags", { params: { query: { account: props.account, subject: "account", limit: 50 } } })),
});
</script>

<template>
  <div>
    <ProblemNote v-if="risk.error.value" :error="risk.error.value" />
    <template v-else-if="risk.data.value">
      <p>
        <b class="text-figure font-[620] tabular-nums">{{ risk.data.value.risk }}</b>
        <span class="text-mute">
          of 100: its worst entry in full, each further one takes half of its part of what is left.</span
        >
      </p>
      <table class="mt-2 text-plain">
        <tbody>
          <tr v-for="one in risk.data.value.shares" :key="one.entry.id">
            <td class="pr-3 text-right tabular-nums">+{{ one.points }}</td>
            <td>
              <RouterLink class="link" :to="{ query: { entry: one.entry.ref } }">{{
                one.entry.name
              }}</RouterLink>
              <span class="text-mute"> at {{ one.risk }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <RiskPlot :points="risk.data.value.over_time" :zone="zone" :now="now" class="mt-6" />
      <template v-if="flags.data.value?.items.length">
        <h3 class="section max-w-[720px]">Flags on the account itself</h3>
        <p v-for="flag in flags.data.value.items" :key="flag.id" class="mb-2 flex max-w-[720px] gap-3">
          <SeverityNotch :severity="flag.severity" :height="18" class="self-start" />
          <RouterLink
            class="hover:underline"
            :to="{ path: '/flags', query: { flag: flag.ref, rule: flag.rule } }"
            >{{ flag.reason }}</RouterLink
          >
        </p>
      </template>
    </template>
    <p v-else class="text-mute" role="status">Loading…</p>
  </div>
</template>
