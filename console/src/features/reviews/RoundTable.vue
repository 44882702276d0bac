<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { api, take, type Round, type RoundItem } from "@/api/client";
import { useSession } from "@/api/session";
import LeaveOpen from "@/features/taking_back/LeaveOpen.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { OUTCOMES } from "@/api/words";
import { ink } from "@/ui/outcomes";
import { moment } from "@/ui/time";
import { advised, decided } from "./decisions";

const props = defineProps<{ round: Round; items: RoundItem[] }>();
const emit = defineEmits<{ changed: [] }>();
const session = useSession();
const { zone, me } = session;
const mayLeave = session.may("rounds.leave_open");
const act = useMutation({
  mutationFn: ({ place, reason }: { place: number; reason?: string }) => {
    const params = { path: { one: props.round.ref } };
    const owner = me.value?.person.address ?? "";
    return reason === undefined
      ? take(api.POST("/rounds/{one}/try-again", { params, body: { place } }))
      : take(api.POST("/rounds/{one}/left-open", { params, body: { place, reason, owner } }));
  },
  onSuccess: () => emit("changed"),
});
</script>

<template>
  <div class="overflow-x-auto" tabindex="0" role="region" aria-label="All items">
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mb-4 max-w-xl" />
    <table class="w-full min-w-[820px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head w-[44px]">Risk</th>
          <th class="head min-w-[180px]">Who</th>
          <th class="head min-w-[150px]">Where</th>
          <th class="head min-w-[200px]">Advice</th>
          <th class="head min-w-[200px]">Decided</th>
          <th class="head w-[180px]">Came of it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in items" :key="item.place" class="border-b border-line align-top">
          <td class="cell tabular-nums">{{ item.facts.risk }}</td>
          <td class="cell">
            <RouterLink
              class="font-[620] hover:underline"
              :to="{
                path: '/inventory',
                query: { entry: item.entry.ref, state: 'offered,live,paused,ending,ended' },
              }"
              >{{ item.facts.party }}</RouterLink
            >
            <span class="small block break-words">{{ item.entry.party.addresses.join(", ") }}</span>
          </td>
          <td class="cell">
            {{ item.facts.account
            }}<span class="small block">{{ item.facts.provider }}, {{ item.facts.level }}</span>
          </td>
          <td class="cell text-[13px]">
            {{ advised(item) }}<span class="small block">{{ item.advice_why }}</span>
          </td>
          <td class="cell text-[13px]">
            <template v-if="item.decision">
              <b class="font-[620]">{{ decided(item) }}</b>
              <span class="small block"
                >{{ item.decision.by
                }}<template v-if="item.decision.instead_of"> for {{ item.decision.instead_of }}</template
                >, {{ moment(item.decision.at, zone)
                }}<template v-if="item.decision.reason">: {{ item.decision.reason }}</template></span
              >
            </template>
            <span v-else class="text-mute">{{
              item.reviewer ? `${item.reviewer} is asked` : "nobody can be asked"
            }}</span>
          </td>
          <td class="cell text-[13px]">
            <span class="font-[620]" :class="ink(item.outcome)">{{ item.outcome }}</span>
            <RouterLink
              v-if="item.order"
              class="link ml-2 font-mono"
              :to="{ path: '/orders', query: { order: item.order } }"
              >{{ item.order }}</RouterLink
            >
            <span v-if="item.trouble && item.outcome !== 'gone'" class="small block">{{ item.trouble }}</span>
            <span v-if="item.left_open" class="small block"
              >{{ item.left_open.reason }} ({{ item.left_open.owner }})</span
            >
            <template v-if="round.state === 'settling' && mayLeave && OUTCOMES[item.outcome].canBeLeft">
              <LeaveOpen
                :busy="act.isPending.value"
                @leave="(reason) => act.mutate({ place: item.place, reason })"
              />
              <button
                v-if="item.outcome === 'refused'"
                type="button"
                class="link ml-2"
                @click="act.mutate({ place: item.place })"
              >
                Try again
              </button>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
