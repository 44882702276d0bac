<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Provider } from "@/api/client";
import type { components } from "@/api/schema";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { moment } from "@/ui/time";
import { changeProvider } from "./provider";

/** How a provider was reached, version by version, and the way back to one of them. */
type Version = components["schemas"]["ProviderVersion"];
const COLUMNS: Column[] = [
  { key: "number", title: "Version" },
  { key: "set", title: "Set" },
  { key: "changed", title: "Changed" },
  { key: "acts", title: "What can be done", quiet: true, class: "text-right" },
];
const props = defineProps<{ provider: Provider }>();
const emit = defineEmits<{ done: [] }>();
const { zone } = useSession();
const queries = useQueryClient();
const versions = useQuery({
  queryKey: computed(() => ["providers", props.provider.id, "versions"]),
  queryFn: () =>
    take(api.GET("/providers/{provider}/versions", { params: { path: { provider: props.provider.id } } })),
});
const chosen = ref<Version>();
const secret = ref("");
const back = useMutation({
  mutationFn: (version: Version) =>
    changeProvider(props.provider.id, { settings: version.settings, secret: secret.value || null }),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["providers"] });
    emit("done");
  },
});
/** What a version says, but for what is a whole file. */
function says(version: Version): string {
  return Object.entries(version.settings)
    .map(([name, value]) => `${name}=${value.includes("\n") ? `(${value.split("\n").length} lines)` : value}`)
    .join(" ");
}
</script>

<template>
  <section class="mt-4" aria-label="Versions">
    <ProblemNote v-if="versions.error.value" :error="versions.error.value" />
    <DataTable
      v-else-if="versions.data.value"
      :columns="COLUMNS"
      :rows="versions.data.value.items"
      :key-of="(one) => one.number"
      :least="520"
    >
      <template #number="{ row: one }"
        >{{ one.number }}<span v-if="one.present" class="small block">present</span></template
      >
      <template #set="{ row: one }">
        {{ one.at ? moment(one.at, zone) : "not known when" }}
        <span class="small block">{{ one.by || "not known by whom" }}</span>
      </template>
      <template #changed="{ row: one }">
        {{ one.changed.join(", ") }}
        <span class="block max-w-[360px] font-mono text-small break-words text-mute">{{ says(one) }}</span>
      </template>
      <template #acts="{ row: one }">
        <RouterLink
          v-if="provider.connector === 'described'"
          class="link"
          :to="{ path: '/providers/describe', query: { provider: provider.ref, version: one.number } }"
          >Look at it</RouterLink
        >
        <button v-if="!one.present" type="button" class="link ml-3" @click="chosen = one">
          Roll back to it…
        </button>
      </template>
    </DataTable>
    <form
      v-if="chosen"
      class="mt-4 grid max-w-xl gap-3"
      aria-label="Roll back"
      @submit.prevent="back.mutate(chosen)"
    >
      <p class="text-plain text-mute">
        {{ provider.name }} is tried as in version {{ chosen.number }}, and read that way from then on. Where
        it cannot be read so, nothing changes.
      </p>
      <FormField label="Secret (needed where it could be sent somewhere else)">
        <input v-model="secret" class="field w-full" type="password" autocomplete="off" maxlength="10000" />
      </FormField>
      <ProblemNote v-if="back.error.value" :error="back.error.value" />
      <div class="flex gap-[10px]">
        <button type="submit" class="button button-act" :disabled="back.isPending.value">
          {{ back.isPending.value ? "Trying it…" : `Roll back to version ${chosen.number}` }}
        </button>
        <button type="button" class="button" @click="chosen = undefined">Cancel</button>
      </div>
    </form>
  </section>
</template>
