<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Round, type RoundItem } from "@/api/client";
import { useSession } from "@/api/session";
import LeaveOpen from "@/features/taking_back/LeaveOpen.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { OUTCOMES } from "@/api/words";
import { ink } from "@/ui/outcomes";
import { moment } from "@/ui/time";
import { advised, decided } from "./decisions";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "risk", title: "Risk", class: "w-[44px]" },
  { key: "who", title: "Who", class: "min-w-[180px]" },
  { key: "where", title: "Where", class: "min-w-[150px]" },
  { key: "advice", title: "Advice", class: "min-w-[200px]", cell: "text-plain" },
  { key: "decided", title: "Decided", class: "min-w-[200px]", cell: "text-plain" },
  { key: "outcome", title: "Outcome", class: "w-[180px]", cell: "text-plain" },
];

const props = defineProps<{ round: Round; items: RoundItem[] }>();
const emit = defineEmits<{ changed: [place: number] }>();
/** So many lines are drawn, and so many more whenever more are wanted. */
const STEP = 200;
const drawn = ref(STEP);
const rows = computed(() => props.items.slice(0, drawn.value));
const session = useSession();
const { zone, me } = session;
const mayLeave = session.may("rounds.leave_open");
const act = useMutation({
  mutationFn: ({ place, reason }: { place: number; reason?: string }) => {
    const params = { path: { review_round: props.round.ref } };
    const owner = me.value?.person.address ?? "";
    return reason === undefined
      ? take(api.POST("/rounds/{review_round}/try-again", { params, body: { place } }))
      : take(api.POST("/rounds/{review_round}/left-open", { params, body: { place, reason, owner } }));
  },
  onSuccess: (_, { place }) => emit("changed", place),
});
</script>

<template>
  <div class="overflow-x-auto" tabindex="0" role="region" aria-label="All items">
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mb-4 max-w-xl" />
    <DataTable :columns="COLUMNS" :rows="rows" :key-of="(item) => item.place" :least="820">
      <template #risk="{ row: item }">{{ item.facts.risk }}</template>
      <template #who="{ row: item }">
        <RouterLink
          class="font-[620] hover:underline"
          :to="{
            path: '/inventory',
            query: { entry: item.entry.ref, state: 'offered,live,paused,ending,ended' },
          }"
          >{{ item.facts.party }}</RouterLink
        >
        <span class="small block break-words">{{ item.entry.party.addresses.join(", ") }}</span>
      </template>
      <template #where="{ row: item }"
        >{{ item.facts.account
        }}<span class="small block">{{ item.facts.provider }}, {{ item.facts.level }}</span>
      </template>
      <template #advice="{ row: item }"
        >{{ advised(item) }}<span class="small block">{{ item.advice_why }}</span>
      </template>
      <template #decided="{ row: item }">
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
      </template>
      <template #outcome="{ row: item }">
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
      </template>
    </DataTable>
    <button v-if="drawn < items.length" type="button" class="button mt-3" @click="drawn += STEP">
      Show {{ Math.min(STEP, items.length - drawn) }} more of {{ items.length }}
    </button>
  </div>
</template>
