<script setup lang="ts">
import { computed } from "vue";
import { useRouter } from "vue-router";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListBar from "@/ui/list/ListBar.vue";
import { useList } from "@/ui/list/useList";
import ListPage from "@/ui/ListPage.vue";
import { ago, exact } from "@/ui/time";
import { useQueryParams } from "@/ui/useQueryParams";
import { PROVIDERS } from "./list";
import ProviderForm from "./ProviderForm.vue";
import { abilities, busy, latest, standing } from "./provider";
import { useProviders } from "./useProviders";

const DRAWN: Column[] = [
  { key: "name", title: "Provider", sort: "name" },
  { key: "how", title: "How it is read", cell: "text-mute" },
  { key: "state", title: "State", sort: "trouble" },
  { key: "complete", title: "Last complete", sort: "complete" },
  { key: "entries", title: "Entries", number: true, sort: "entries", most: true },
  { key: "able", title: "Shows and ends", cell: "text-mute" },
  { key: "ref", title: "Id", cell: "font-mono text-small text-mute" },
  { key: "read", title: "Read it", quiet: true, class: "text-right" },
];
const session = useSession();
const mayRead = session.may("readings.start");
const mayAdd = session.may("providers.add");
const { filter, columns, sorted, narrowed, change, sort } = useList(PROVIDERS, DRAWN, ["name", "read"]);
const { providers, error, isPending, read } = useProviders(() => PROVIDERS.toQuery(filter.value));
const now = useNow();
const router = useRouter();
const { param, changed } = useQueryParams();
const adding = computed(() => !!param("add").value);
function add(wanted: string): void {
  void router.replace(changed({ add: wanted }));
}
</script>

<template>
  <ListPage
    title="Providers"
    lead="The outside services on which your accounts live, and how fresh what is known of each is."
    :error="error"
    :pending="isPending"
    :empty="!providers.length && !adding"
    :nothing="narrowed ? 'No provider matches.' : 'No provider yet.'"
    :hint="
      narrowed
        ? 'No provider matches all the filters above.'
        : 'The inventory fills once the first one has been read, or a list has been imported.'
    "
    :begin="narrowed || !mayAdd ? undefined : { text: 'Add a provider', to: '/providers?add=1' }"
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-2 pr-6">
        <ListBar :kind="PROVIDERS" :filter="filter" class="grow" @change="change" />
        <button v-if="mayAdd && !adding" type="button" class="button" @click="add('1')">
          Add a provider
        </button>
      </div>
    </template>
    <ProviderForm
      v-if="adding"
      class="mb-8"
      @done="add('')"
      @added="(provider) => router.push(`/providers/${provider.ref}`)"
    />
    <DataTable
      :columns="columns"
      :rows="providers"
      :key-of="(one) => one.id"
      :least="720"
      :sorted="sorted"
      steps
      @sort="sort"
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
        <span :class="one.trouble ? 'font-semibold text-high' : ''" :title="one.by_hand ? '' : latest(one)">{{
          standing(one)
        }}</span>
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
      <template #able="{ row: one }">{{ abilities(one) }}</template>
      <template #ref="{ row: one }">{{ one.ref }}</template>
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
