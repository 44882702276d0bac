<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, defineAsyncComponent } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import PageTabs from "@/ui/PageTabs.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { exact, moment } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import { useQueryParams } from "@/ui/useQueryParams";

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
  ["policy", "Change the policy"],
  ["history", "Policies adopted"],
] as const;
const route = useRoute();
const router = useRouter();
const session = useSession();
const { zone } = session;
const mayAdopt = session.may("policy.adopt");
const queries = useQueryClient();
const shown = computed(() => TABS.find(([tab]) => tab === route.query.show)?.[0] ?? "rules");
const open = useQueryParams().param("rule");

const rules = useQuery({ queryKey: ["rules"], queryFn: () => take(api.GET("/rules")) });
const history = useQuery({
  queryKey: ["policy", "history"],
  queryFn: () => take(api.GET("/policy/history")),
});
const rule = computed(() => rules.data.value?.items.find((one) => one.id === open.value));
const latest = computed(() => history.data.value?.items[0]);
const back = useMutation({
  mutationFn: (number: number) => take(api.POST("/policy/back", { body: { number } })),
  onSuccess: () => queries.invalidateQueries(),
});
function show(id: string): void {
  void router.push({ query: id ? { rule: id } : {} });
}
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
    <PageTabs class="mt-4 mr-6" label="Rules" :tabs="TABS" :shown="shown" />
    <PolicyEditor v-if="shown === 'policy'" class="mt-4 min-h-0 flex-1" />
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
      <DataTable
        :columns="COLUMNS"
        :rows="rules.data.value?.items ?? []"
        :key-of="(one) => one.id"
        :least="640"
        opens
        :is-open="(one) => one.id === open"
        :faint="(one) => !one.standing"
        @open="(one) => show(one.id)"
      >
        <template #mark="{ row: one }">
          <SeverityNotch v-if="one.worst" :severity="one.worst" :height="18" />
        </template>
        <template #rule="{ row: one }">
          <button
            type="button"
            class="text-left"
            :class="one.standing ? 'font-[620]' : ''"
            @click.stop="show(one.id)"
          >
            {{ one.title }}
          </button>
          <span class="small block font-mono">{{ one.id }}<template v-if="one.off"> · off</template></span>
        </template>
        <template #looksAt="{ row: one }">{{ one.applies_to }}</template>
        <template #flags="{ row: one }">{{ one.standing - one.accepted || "" }}</template>
        <template #accepted="{ row: one }">{{ one.accepted || "" }}</template>
      </DataTable>
    </div>
    <SidePanel v-if="rule && shown === 'rules'" :key="rule.id" :label="`Rule ${rule.id}`" @close="show('')">
      <p class="small font-mono">{{ rule.id }}</p>
      <h2 class="mt-2 pr-6">{{ rule.title }}</h2>
      <p class="mt-3">{{ rule.why }}</p>
      <h3 class="section">True of an {{ rule.applies_to }} where</h3>
      <pre class="font-mono text-small whitespace-pre-wrap">{{ rule.when }}</pre>
      <dl class="mt-4 grid grid-cols-[92px_minmax(0,1fr)] gap-y-[7px]">
        <dt class="text-mute">Severity</dt>
        <dd>
          {{ rule.severity }}
          <span v-for="worse in rule.worse" :key="worse.when" class="block">
            {{ worse.severity }} where <code class="font-mono text-small">{{ worse.when }}</code></span
          >
        </dd>
        <dt class="text-mute">It says</dt>
        <dd>
          <span v-for="reason in rule.reason" :key="reason" class="block">{{ reason }}</span>
        </dd>
        <dt class="text-mute">With</dt>
        <dd>
          <span v-for="(text, name) in rule.facts" :key="name" class="block">
            {{ name }}: <code class="font-mono text-small">{{ text }}</code></span
          >
        </dd>
        <dt class="text-mute">Cleared by</dt>
        <dd>{{ rule.clears }}</dd>
        <template v-if="rule.exempt">
          <dt class="text-mute">Leaves out</dt>
          <dd>{{ rule.exempt }} {{ rule.exempt === 1 ? "exception" : "exceptions" }} of the policy</dd>
        </template>
      </dl>
      <p class="mt-5 flex gap-4">
        <RouterLink v-if="rule.standing" class="button" :to="{ path: '/flags', query: { rule: rule.id } }"
          >{{ rule.standing - rule.accepted }} flags</RouterLink
        >
        <RouterLink class="button" :to="{ query: { show: 'policy', rule: rule.id } }">Change it…</RouterLink>
      </p>
      <p class="mt-4 font-mono text-small text-mute">openlatch flags --rule {{ rule.id }}</p>
    </SidePanel>
  </section>
</template>
