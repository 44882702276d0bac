<script setup lang="ts">
import { computed } from "vue";
import { useRouter } from "vue-router";
import type { Provider } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListPage from "@/ui/ListPage.vue";
import { ago, exact } from "@/ui/time";
import { useQueryParams } from "@/ui/useQueryParams";
import ProviderForm from "./ProviderForm.vue";
import { busy, latest, standing } from "./provider";
import { useProviders } from "./useProviders";

const COLUMNS: Column[] = [
  { key: "name", title: "Provider", sort: "name" },
  { key: "how", title: "How it is read", cell: "text-mute" },
  { key: "state", title: "Latest reading", sort: "trouble" },
  { key: "complete", title: "Last complete" },
  { key: "entries", title: "Entries", number: true },
  { key: "read", title: "Read it", quiet: true, class: "text-right" },
];
const session = useSession();
const mayRead = session.may("readings.start");
const mayAdd = session.may("providers.add");
const { providers, error, isPending, read } = useProviders();
const now = useNow();
const router = useRouter();
const { param, changed } = useQueryParams();
const q = param("q");
const sorted = computed(() => param("sort").value || "name");
const adding = computed(() => !!param("add").value);
const shown = computed(() => {
  const wanted = q.value.trim().toLowerCase();
  const found = providers.value.filter((one) =>
    `${one.name} ${one.connector}`.toLowerCase().includes(wanted),
  );
  const grave = (one: Provider): number => (standing(one).grave ? 0 : 1);
  return sorted.value === "trouble" ? found.sort((a, b) => grave(a) - grave(b)) : found;
});
function change(values: Record<string, string>): void {
  void router.replace(changed(values));
}
</script>

<template>
  <ListPage
    title="Providers"
    lead="The outside services on which your accounts live, and how fresh what is known of each is."
    :error="error"
    :pending="isPending"
    :empty="!shown.length && !adding"
    :nothing="q ? 'No provider matches.' : 'No provider yet.'"
    hint="The inventory fills once the first one has been read, or a list has been imported."
    :begin="q || !mayAdd ? undefined : { text: 'Add a provider', to: '/providers?add=1' }"
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-3 pr-6 text-plain">
        <input
          class="field w-[250px]"
          type="search"
          aria-label="Search providers"
          placeholder="Search providers"
          :value="q"
          @input="change({ q: ($event.target as HTMLInputElement).value })"
        />
        <button v-if="mayAdd && !adding" type="button" class="button ml-auto" @click="change({ add: '1' })">
          Add a provider
        </button>
      </div>
    </template>
    <ProviderForm
      v-if="adding"
      class="mb-8"
      @done="change({ add: '' })"
      @added="(provider) => router.push(`/providers/${provider.ref}`)"
    />
    <DataTable
      :columns="COLUMNS"
      :rows="shown"
      :key-of="(one) => one.id"
      :least="720"
      :sorted="sorted"
      steps
      @sort="(order) => change({ sort: order === 'name' ? '' : order })"
    >
      <template #name="{ row: one }">
        <RouterLink class="font-[620] hover:underline" :to="`/providers/${one.ref}`">{{
          one.name
        }}</RouterLink>
      </template>
      <template #how="{ row: one }"
        >{{ one.by_hand ? "by hand" : one.connector
        }}<span v-if="!one.by_hand && !one.paused" class="small block"
          >every {{ one.read_every }} minutes</span
        ></template
      >
      <template #state="{ row: one }">
        <span
          :class="standing(one).grave ? 'font-semibold text-high' : ''"
          :title="one.by_hand ? '' : latest(one)"
          >{{ standing(one).text }}</span
        >
        <span v-if="one.latest?.trouble" class="small block max-w-[340px]">{{ one.latest.trouble }}</span>
      </template>
      <template #complete="{ row: one }">
        <span v-if="!one.by_hand" :title="exact(one.last_complete)">{{
          one.last_complete ? ago(one.last_complete, now) : "never"
        }}</span>
      </template>
      <template #entries="{ row: one }">
        <RouterLink class="hover:underline" :to="{ path: '/inventory', query: { provider: one.ref } }">{{
          one.latest?.seen ?? "entries"
        }}</RouterLink>
      </template>
      <template #read="{ row: one }">
        <button
          v-if="mayRead && !one.by_hand"
          type="button"
          class="link"
          :aria-label="`Read ${one.name} again`"
          :disabled="busy(one) || read.isPending.value"
          @click="read.mutate({ wanted: [one] })"
        >
          {{ busy(one) ? "Reading…" : "Read again" }}
        </button>
      </template>
    </DataTable>
  </ListPage>
</template>
