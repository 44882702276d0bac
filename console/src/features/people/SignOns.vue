<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type SignOn } from "@/api/client";
import { useSession } from "@/api/session";
import AreYouSure from "@/ui/AreYouSure.vue";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ProblemNote from "@/ui/ProblemNote.vue";

/** The single sign-ons of the workspace: at which services people sign in, and whom each lets in. */
const emit = defineEmits<{ open: [id: string] }>();
const session = useSession();
const mayAdd = session.may("sign_ons.add");
const queries = useQueryClient();
const COLUMNS: Column[] = [
  { key: "name", title: "Name", class: "min-w-[170px]" },
  { key: "lets", title: "Who can sign in", class: "min-w-[200px]" },
  { key: "factor", title: "Second factor", cell: "whitespace-nowrap" },
  { key: "act", title: "Change", cell: "text-right whitespace-nowrap", quiet: true },
];
const found = useQuery({ queryKey: ["sign-ons"], queryFn: () => take(api.GET("/sign-ons")) });
const services = computed(() => found.data.value?.items ?? []);
const back = computed(() => found.data.value?.back ?? "");
const asked = ref("");
const remove = useMutation({
  mutationFn: (sign_on_ref: string) =>
    take(api.DELETE("/sign-ons/{sign_on_ref}", { params: { path: { sign_on_ref } } })),
  onSuccess: async () => {
    asked.value = "";
    await queries.invalidateQueries({ queryKey: ["sign-ons"] });
  },
});
function letsIn(service: SignOn): string {
  const roles = Object.entries(service.roles).map(([value, role]) => `${value} as ${role}`);
  return roles.length ? `${service.claim}: ${roles.sort().join(", ")}` : "who is here or invited";
}
</script>

<template>
  <section class="mt-10 max-w-4xl" aria-labelledby="sign-ons">
    <h2 id="sign-ons" class="section">Single sign-on</h2>
    <p class="mb-3 max-w-2xl text-mute">
      Services at which people sign in instead of with a password here (OpenID Connect).
    </p>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
    <template v-else-if="found.data.value">
      <p v-if="!back" class="max-w-2xl">
        There can be none: this console is not reached over https. Whoever runs the service has to set
        <code class="font-mono">OPENLATCH_CONSOLE_URL</code>.
      </p>
      <DataTable
        v-if="services.length"
        :columns="COLUMNS"
        :rows="services"
        :key-of="(one) => one.id"
        :least="520"
      >
        <template #name="{ row: one }">
          <b class="font-[620]">{{ one.name }}</b>
          <span class="small block break-all">{{ one.issuer }}</span>
        </template>
        <template #lets="{ row: one }">{{ letsIn(one) }}</template>
        <template #factor="{ row: one }">{{
          one.second_factor ? "asked for there" : "asked for here"
        }}</template>
        <template #act="{ row: one }">
          <template v-if="mayAdd">
            <button
              type="button"
              class="link"
              :aria-label="`Change ${one.name}`"
              @click="emit('open', one.id)"
            >
              Change
            </button>
            <button
              type="button"
              class="link ml-3"
              :aria-label="`Remove ${one.name}`"
              @click="asked = asked === one.id ? '' : one.id"
            >
              Remove
            </button>
          </template>
        </template>
      </DataTable>
      <AreYouSure
        v-for="one in services.filter((service) => service.id === asked)"
        :key="one.id"
        class="mt-3"
        :does="`Remove ${one.name}`"
        :busy="remove.isPending.value"
        @yes="remove.mutate(one.ref)"
        @no="asked = ''"
      >
        <p>
          Nobody will be able to sign in at {{ one.name }}; present sessions go on until they end. Whoever has
          no password chooses one with “Forgot your password?”.
        </p>
      </AreYouSure>
      <ProblemNote v-if="remove.error.value" :error="remove.error.value" class="mt-3 max-w-xl" />
      <button v-if="mayAdd && back" type="button" class="button mt-4" @click="emit('open', 'new')">
        Add a single sign-on…
      </button>
    </template>
    <p class="mt-5 font-mono text-small text-mute">openlatch sign-on list</p>
  </section>
</template>
