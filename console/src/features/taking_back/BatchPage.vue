<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { useRoute } from "vue-router";
import { api, take, type Batch } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import ReportLinks from "@/ui/ReportLinks.vue";
import { useNow } from "@/ui/clock";
import { OUTCOMES } from "@/api/words";
import { ink } from "@/ui/outcomes";
import { ago, day, exact, moment } from "@/ui/time";
import LeaveOpen from "./LeaveOpen.vue";
import OutcomeBar from "@/ui/OutcomeBar.vue";
import { titleOf } from "./title";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "outcome", title: "Outcome", class: "w-[110px]", cell: "font-[620]" },
  { key: "what", title: "What", class: "min-w-[220px]" },
  { key: "provider", title: "Provider", class: "w-[170px]" },
  { key: "order", title: "Order, or why there is none", cell: "text-plain" },
];

const route = useRoute();
const queries = useQueryClient();
const session = useSession();
const { zone, me } = session;
const now = useNow();
const mayReport = session.may("batches.report");
const mayChange = session.may("batches.cancel");
const wanted = computed(() => String(route.params.batch));
const { data: batch, error } = useQuery({
  queryKey: computed(() => ["batches", "one", wanted.value]),
  queryFn: () => take(api.GET("/batches/{batch}", { params: { path: { batch: wanted.value } } })),
  // The more there is in it, the longer it takes to be shown.
  refetchInterval: ({ state: { data } }) =>
    data?.over ? false : Math.max(1000, 5 * (data?.items.length ?? 0)),
});
const act = useMutation({
  mutationFn: (place: number | null) => {
    const path = { batch: wanted.value };
    return place === null
      ? take(api.POST("/batches/{batch}/cancel", { params: { path } }))
      : take(
          api.POST("/batches/{batch}/items/{place}/done", {
            params: { path: { ...path, place } },
          }),
        );
  },
  onSuccess: (found) => queries.setQueryData(["batches", "one", wanted.value], found),
});
const leave = useMutation({
  mutationFn: ({ place, reason }: { place: number; reason: string }) =>
    take(
      api.POST("/batches/{batch}/left-open", {
        params: { path: { batch: wanted.value } },
        body: { place, reason, owner: me.value?.person.address ?? "" },
      }),
    ),
  onSuccess: (found) => queries.setQueryData(["batches", "one", wanted.value], found),
});
/** The things in it, phase by phase; a batch that is not for a leaver has one, without a name. */
const phases = computed(() => {
  const found = new Map<string, Batch["items"]>();
  for (const item of batch.value?.items ?? [])
    found.set(item.phase, [...(found.get(item.phase) ?? []), item]);
  return [...found];
});
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8" aria-label="Batches" tabindex="0">
    <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/batches">All batches</RouterLink>
    </ProblemNote>
    <p v-else-if="!batch" class="mt-8 text-mute" role="status">Loading…</p>
    <template v-else>
      <p class="small"><RouterLink class="link" to="/batches">Batches</RouterLink> · {{ batch.ref }}</p>
      <h1 class="mt-1">{{ titleOf(batch) }}</h1>
      <p class="mt-[5px] text-mute">
        Ordered by {{ batch.ordered_by }},
        <span :title="exact(batch.ordered_at)">{{ ago(batch.ordered_at, now) }}</span><template
          v-if="batch.reason"
          >: {{ batch.reason }}</template
        >.
        <template v-if="batch.begins_at">It begins on {{ day(batch.begins_at, zone) }}.</template>
        <template v-if="batch.cancelled_at">Cancelled {{ moment(batch.cancelled_at, zone) }}.</template>
        <RouterLink v-if="batch.party" class="link" :to="`/parties/${batch.party.ref}`"
          >What {{ batch.party.name }} can do now</RouterLink
        >
      </p>
      <div class="mt-4 max-w-3xl" role="status">
        <OutcomeBar :outcomes="batch.outcomes" />
      </div>
      <div v-if="batch.party && batch.remains.length && batch.rests" class="mt-4 max-w-3xl">
        <p class="font-[620]">{{ batch.party.name }} still has:</p>
        <ul class="mt-1 list-disc pl-5">
          <li v-for="way in batch.remains" :key="way">{{ way }}</li>
        </ul>
        <p class="small mt-1">
          This is over once nothing remains, or what remains is left open with an owner.
        </p>
      </div>
      <ReportLinks v-if="mayReport" class="mt-3" kind="batch" :of="batch.ref" :over="batch.over" />
      <ProblemNote
        v-if="act.error.value ?? leave.error.value"
        :error="(act.error.value ?? leave.error.value)!"
        class="mt-4 max-w-xl"
      />
      <button
        v-if="mayChange && !batch.cancelled_at && batch.outcomes['to come']"
        type="button"
        class="button mt-4"
        :disabled="act.isPending.value"
        @click="act.mutate(null)"
      >
        Cancel what has not been ordered yet
      </button>
      <template v-for="[phase, items] in phases" :key="phase">
        <h2 v-if="phase" class="section">{{ phase }}</h2>
        <div class="overflow-x-auto" tabindex="0" role="region" :aria-label="phase || 'Entries'">
          <DataTable
            class="mt-2"
            :columns="COLUMNS"
            :rows="items"
            :key-of="(item) => item.place"
            :least="720"
          >
            <template #outcome="{ row: item }">
              <span :class="ink(item.outcome)">{{ item.outcome }}</span>
            </template>
            <template #what="{ row: item }">
              <RouterLink
                v-if="item.entry"
                class="hover:underline"
                :to="{
                  path: '/inventory',
                  query: { entry: item.entry.ref, state: 'offered,live,paused,ending,ended' },
                }"
                >{{ item.entry.name }}</RouterLink
              >
              <span :class="item.entry ? 'small block' : ''">{{ item.text }}</span>
            </template>
            <template #provider="{ row: item }">{{ item.provider }}</template>
            <template #order="{ row: item }">
              <RouterLink
                v-if="item.order"
                class="link font-mono"
                :to="{ path: '/orders', query: { batch: batch.ref, order: item.order } }"
                >{{ item.order }}</RouterLink
              >
              <span v-if="item.trouble" class="text-mute">{{ item.trouble }}</span>
              <button
                v-if="item.outcome === 'to do' && mayChange"
                type="button"
                class="button"
                :disabled="act.isPending.value"
                @click="act.mutate(item.place)"
              >
                It is done
              </button>
              <span v-if="item.outcome === 'to do' && item.who" class="small ml-2">{{ item.who }}</span>
              <span v-if="item.left_open">{{ item.left_open.reason }} ({{ item.left_open.owner }})</span>
              <LeaveOpen
                v-if="batch.kind === 'leaver' && mayChange && OUTCOMES[item.outcome].canBeLeft"
                :busy="leave.isPending.value"
                class="ml-2"
                @leave="(reason) => leave.mutate({ place: item.place, reason })"
              />
              <span v-if="item.done_at" class="ml-2 text-mute" :title="exact(item.done_at)"
                >{{ item.done_by }}, {{ moment(item.done_at, zone) }}</span
              >
            </template>
          </DataTable>
        </div>
      </template>
      <p v-if="batch.count > batch.items.length" class="small mt-3">
        The first {{ batch.items.length }} of {{ batch.count }} are shown.
      </p>
      <p class="mt-5 font-mono text-small text-mute">openlatch batch follow {{ batch.ref }}</p>
    </template>
  </section>
</template>
