<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, defineAsyncComponent } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import DraftBar from "./DraftBar.vue";
import LimitsTable from "./LimitsTable.vue";
import { several } from "@/ui/words";
import PageTabs from "@/ui/PageTabs.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { exact, moment } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";

const COLUMNS: Column[] = [
  { key: "mark", title: "Severity", class: "w-[26px]", quiet: true },
  { key: "rule", title: "Rule" },
  { key: "looksAt", title: "Applies to", class: "w-[90px]" },
  { key: "flags", title: "Flags", class: "w-[70px]", number: true },
  { key: "accepted", title: "Accepted", class: "w-[80px]", number: true },
];

const PolicyEditor = defineAsyncComponent(() => import("./PolicyEditor.vue"));
const TABS = [
  ["rules", "Rules"],
  ["limits", "Limits"],
  ["policy", "The file"],
  ["history", "Policies adopted"],
] as const;
const route = useRoute();
const router = useRouter();
const session = useSession();
const { zone } = session;
const mayAdopt = session.may("policy.adopt");
const queries = useQueryClient();
const shown = computed(() => TABS.find(([tab]) => tab === route.query.show)?.[0] ?? "rules");

const rules = useQuery({ queryKey: ["rules"], queryFn: () => take(api.GET("/rules")) });
const history = useQuery({
  queryKey: ["policy", "history"],
  queryFn: () => take(api.GET("/policy/history")),
});
const latest = computed(() => history.data.value?.items[0]);
const back = useMutation({
  mutationFn: (number: number) => take(api.POST("/policy/back", { body: { number } })),
  onSuccess: () => queries.invalidateQueries(),
});
const noise = computed(() => rules.data.value?.items.filter((one) => one.quiet) ?? []);
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Policy">
    <header class="pr-6">
      <h1>Policy</h1>
      <p class="mt-[5px] min-h-5 text-mute">
        <template v-if="latest && rules.data.value">
          {{ rules.data.value.items.filter((one) => !one.off).length }} rules of policy {{ latest.number
          }}<template v-if="latest.number"
            >, adopted by {{ latest.by }} on
            <span :title="exact(latest.at)">{{ moment(latest.at, zone) }}</span></template
          ><template v-else>, with which every workspace begins</template>.
        </template>
      </p>
    </header>
    <DraftBar />
    <PageTabs class="mt-4 mr-6" label="Rules" :tabs="TABS" :shown="shown" />
    <PolicyEditor v-if="shown === 'policy'" class="mt-4 min-h-0 flex-1" />
    <div
      v-else-if="shown === 'limits'"
      class="mt-4 min-h-0 flex-1 overflow-auto pr-6"
      tabindex="0"
      role="region"
      aria-label="Limits"
    >
      <LimitsTable />
    </div>
    <div
      v-else-if="shown === 'history'"
      class="mt-4 min-h-0 flex-1 overflow-auto pr-6"
      tabindex="0"
      role="region"
      aria-label="Policies adopted"
    >
      <ProblemNote v-if="history.error.value" :error="history.error.value" />
      <ProblemNote v-if="back.error.value" :error="back.error.value" class="mb-4" />
      <ol>
        <li
          v-for="one in history.data.value?.items ?? []"
          :key="one.number"
          class="grid grid-cols-[60px_minmax(0,1fr)_auto] gap-x-4 border-b border-line py-3"
        >
          <b class="font-serif text-title font-[500]">{{ one.number }}</b>
          <div>
            <p>
              <b class="font-[620]">{{ one.by }}</b>
              <span v-if="one.number" class="text-mute" :title="exact(one.at)">
                on {{ moment(one.at, zone) }}</span
              ><template v-if="one.note">: {{ one.note }}</template>
            </p>
            <ul v-if="one.changes.length" class="mt-1 text-plain text-mute">
              <li v-for="change in one.changes.slice(0, 8)" :key="change">{{ change }}</li>
              <li v-if="one.changes.length > 8">and {{ one.changes.length - 8 }} more changes</li>
            </ul>
          </div>
          <p class="text-right text-plain">
            <span v-if="one.number === latest?.number" class="font-[620] text-good">in force</span>
            <button
              v-else-if="mayAdopt"
              type="button"
              class="link"
              :disabled="back.isPending.value"
              @click="back.mutate(one.number)"
            >
              Roll back to it
            </button>
          </p>
        </li>
      </ol>
    </div>
    <div
      v-else
      class="mt-4 min-h-0 flex-1 overflow-auto pr-6"
      tabindex="0"
      role="region"
      aria-label="List: Rules"
    >
      <ProblemNote v-if="rules.error.value" :error="rules.error.value" />
      <p v-if="noise.length" class="mb-3 max-w-2xl border-l-2 border-medium pl-3">
        <b class="font-[620]">Nobody acts on {{ several(noise.length, "rule") }}</b
        >, which have {{ noise.reduce((sum, one) => sum + one.standing - one.accepted, 0) }} flags. Look at
        each: a limit, an exception, or off.
      </p>
      <RouterLink class="button mb-3 inline-block" to="/policy/rules/new">New rule…</RouterLink>
      <DataTable
        :columns="COLUMNS"
        :rows="rules.data.value?.items ?? []"
        :key-of="(one) => one.id"
        :least="640"
        opens
        :faint="(one) => !one.standing"
        @open="(one) => router.push(`/policy/rules/${one.id}`)"
      >
        <template #mark="{ row: one }">
          <SeverityNotch v-if="one.worst" :severity="one.worst" :height="18" />
        </template>
        <template #rule="{ row: one }">
          <RouterLink
            class="hover:underline"
            :class="one.standing ? 'font-[620]' : ''"
            :to="`/policy/rules/${one.id}`"
            @click.stop
            >{{ one.title }}</RouterLink
          >
          <span class="small block font-mono"
            >{{ one.id }}<template v-if="one.off"> · off</template
            ><template v-if="one.quiet"> · noise: nobody acts on it</template></span
          >
        </template>
        <template #looksAt="{ row: one }">{{ one.applies_to }}</template>
        <template #flags="{ row: one }">{{ one.standing - one.accepted || "" }}</template>
        <template #accepted="{ row: one }">{{ one.accepted || "" }}</template>
      </DataTable>
    </div>
  </section>
</template>
