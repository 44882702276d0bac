<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import TogetherList from "./TogetherList.vue";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

const route = useRoute();
const router = useRouter();
const session = useSession();
const { zone } = session;
const may = session.may("leavers.create");
const wanted = computed(() => String(route.params.party));
const lastDay = ref("");
const who = ref("");
const reason = ref("");
const said = ref("");
const { data: plan, error } = useQuery({
  queryKey: computed(() => ["parties", "leaver", wanted.value]),
  queryFn: () => take(api.GET("/parties/{party}/leaver-plan", { params: { path: { party: wanted.value } } })),
  staleTime: 0,
});
const phases = computed(() => {
  const items = plan.value?.items ?? [];
  return [...new Set(items.map((item) => item.phase))].map(
    (phase) => [phase, items.filter((item) => item.phase === phase)] as const,
  );
});
const order = useMutation({
  mutationFn: () =>
    take(
      api.POST("/leavers", {
        body: {
          party: wanted.value,
          last_day: lastDay.value || null,
          who: who.value,
          reason: reason.value,
          count: Number(said.value),
        },
      }),
    ),
  onSuccess: (batch) => router.push(`/batches/${batch.ref}`),
});
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8" aria-label="Leaver" tabindex="0">
    <ProblemNote v-if="error" :error="error" class="mt-4 max-w-xl">
      <RouterLink class="button mt-3 inline-block" to="/parties">All parties</RouterLink>
    </ProblemNote>
    <p v-else-if="!plan" class="mt-8 text-mute" role="status">Working out what they have…</p>
    <template v-else>
      <p class="small">
        <RouterLink class="link" to="/parties">Parties</RouterLink> ·
        <RouterLink class="link" :to="`/parties/${plan.party.ref}`">{{ plan.party.name }}</RouterLink>
      </p>
      <h1 class="mt-1">{{ plan.party.name }} leaves</h1>
      <p class="mt-[5px] max-w-2xl text-mute">
        Everything they have access to, in the order in which it is ended. What others have to take over comes
        first, and the rest waits until it is reported as done.
      </p>
      <p v-if="!plan.items.length" class="mt-8">They have no access, as far as is known.</p>
      <div v-else class="mt-2 grid gap-x-10 lg:grid-cols-[minmax(0,1fr)_330px]">
        <ol>
          <li v-for="([phase, items], place) in phases" :key="phase">
            <h2 class="section flex items-baseline gap-3">
              <span class="font-serif text-act" aria-hidden="true">{{ place + 1 }}</span> {{ phase }}
            </h2>
            <ul>
              <li
                v-for="(item, at) in items"
                :key="at"
                class="flex items-baseline justify-between gap-4 border-b border-line py-2"
              >
                <span>{{ item.text }}</span>
                <RouterLink
                  v-if="item.entry"
                  class="link shrink-0 text-plain"
                  :to="{ path: '/inventory', query: { entry: item.entry.ref } }"
                  >{{ item.provider }}</RouterLink
                >
                <span v-else class="small shrink-0">by hand</span>
              </li>
            </ul>
          </li>
          <li v-if="plan.consequences.length">
            <h2 class="section">What happens</h2>
            <TogetherList :consequences="plan.consequences" />
          </li>
        </ol>
        <form v-if="may" class="mt-6" @submit.prevent="order.mutate()">
          <FormField :label="`Their last day, ${zone} (empty: begin at once)`">
            <DateField v-model="lastDay" />
          </FormField>
          <FormField class="mt-3" label="Who takes care of what only people can do">
            <input v-model="who" class="field w-full" maxlength="200" autocomplete="off" />
          </FormField>
          <FormField class="mt-3" label="Reason, for the log (optional)">
            <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" />
          </FormField>
          <FormField class="mt-3" :label="`To confirm, type how many items there are: ${plan.items.length}`">
            <input
              v-model="said"
              class="field w-[120px]"
              inputmode="numeric"
              autocomplete="off"
              name="count"
            />
          </FormField>
          <ProblemNote v-if="order.error.value" :error="order.error.value" class="mt-4" />
          <button
            type="submit"
            class="button button-danger mt-4"
            :disabled="order.isPending.value || Number(said) !== plan.items.length"
          >
            End all of it
          </button>
          <p class="mt-4 font-mono text-small break-words text-mute">
            openlatch leaver start {{ plan.party.ref }} --dry-run
          </p>
        </form>
      </div>
    </template>
  </section>
</template>
