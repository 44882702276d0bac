<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type CodesBegun } from "@/api/client";
import { addPasskey, passkeysHere } from "@/api/passkeys";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact } from "@/ui/time";

/** What one proves with that it is oneself, beside the password: codes from an app, and passkeys. */
const { me, zone, refetch } = useSession();
const queries = useQueryClient();
const now = useNow();
const KINDS = { codes: "codes from an app", passkey: "passkey" } as const;
const FACTORS: Column[] = [
  { key: "name", title: "Name" },
  { key: "kind", title: "Kind" },
  { key: "since", title: "Since", cell: "whitespace-nowrap" },
  { key: "used", title: "Last used", cell: "whitespace-nowrap" },
  { key: "act", title: "Remove", cell: "text-right", quiet: true },
];
const found = useQuery({ queryKey: ["me", "factors"], queryFn: () => take(api.GET("/me/factors")) });
const items = computed(() => found.data.value?.items ?? []);
const name = ref("");
const begun = ref<CodesBegun>();
const code = ref("");
const codes = ref<string[]>([]);

async function changed(made: string[]): Promise<void> {
  codes.value = made;
  begun.value = undefined;
  code.value = "";
  name.value = "";
  await Promise.all([queries.invalidateQueries({ queryKey: ["me", "factors"] }), refetch()]);
}
const begin = useMutation({
  mutationFn: () => take(api.POST("/me/factors/codes", { body: { name: name.value || "app" } })),
  onSuccess: (made) => (begun.value = made),
});
const prove = useMutation({
  mutationFn: async () => {
    const path = { factor_id: begun.value?.id ?? "" };
    const sent = await take(
      api.POST("/me/factors/{factor_id}/proof", { params: { path }, body: { code: code.value } }),
    );
    return sent.codes;
  },
  onSuccess: changed,
});
const passkey = useMutation({ mutationFn: () => addPasskey(name.value || "passkey"), onSuccess: changed });
const remove = useMutation({
  mutationFn: async (factor_id: string) => {
    await take(api.DELETE("/me/factors/{factor_id}", { params: { path: { factor_id } } }));
    return [];
  },
  onSuccess: changed,
});
const renew = useMutation({
  mutationFn: async () => (await take(api.POST("/me/recovery-codes"))).codes,
  onSuccess: changed,
});
const busy = computed(() => begin.isPending.value || passkey.isPending.value);
const trouble = computed(
  () => begin.error.value ?? passkey.error.value ?? remove.error.value ?? renew.error.value,
);
/** The QR code as one path of squares, with the margin that readers need. */
const square = computed(() => {
  const rows = begun.value?.square ?? [];
  const dark = rows.flatMap((row, y) => [...row].map((bit, x) => (bit === "1" ? `M${x} ${y}h1v1h-1z` : "")));
  return { size: rows.length, path: dark.join("") };
});
const spelled = computed(() => begun.value?.secret.match(/.{1,4}/g)?.join(" ") ?? "");
</script>

<template>
  <h2 class="section max-w-3xl">Second factor</h2>
  <p v-if="me?.lacks_factor" class="mb-3 max-w-xl border-l-4 border-high py-1 pl-4 font-[620]" role="alert">
    As {{ me.person.role }} you need a second factor here. Until you have one, you can do nothing else.
  </p>
  <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
  <p v-else-if="found.isPending.value" class="text-mute" role="status">Loading…</p>
  <p v-else-if="!items.length" class="max-w-xl text-mute">
    You have none: whoever learns your password can sign in as you. Codes from an app on your phone, or a
    passkey, prevent that.
  </p>
  <template v-else>
    <div class="max-w-3xl overflow-x-auto" tabindex="0" role="region" aria-label="Second factors">
      <DataTable :columns="FACTORS" :rows="items" :key-of="(one) => one.id" :least="520">
        <template #name="{ row: one }">{{ one.name }}</template>
        <template #kind="{ row: one }">{{ KINDS[one.kind] }}</template>
        <template #since="{ row: one }">{{ day(one.proved_at, zone) }}</template>
        <template #used="{ row: one }">
          <span :title="exact(one.last_used_at)">{{
            one.last_used_at ? ago(one.last_used_at, now) : "never"
          }}</span>
        </template>
        <template #act="{ row: one }">
          <button
            type="button"
            class="link"
            :aria-label="`Remove the second factor ${one.name}`"
            :disabled="remove.isPending.value"
            @click="remove.mutate(one.id)"
          >
            Remove
          </button>
        </template>
      </DataTable>
    </div>
    <p class="mt-2">
      {{ found.data.value?.recovery_left }} recovery codes are left.
      <button type="button" class="link" :disabled="renew.isPending.value" @click="renew.mutate()">
        Make new ones
      </button>
    </p>
  </template>
  <div v-if="codes.length" class="mt-4 max-w-xl border-l-4 border-act py-1 pl-4" role="status">
    <p class="font-[620]">Keep these recovery codes away from your device.</p>
    <p class="text-mute">Each works once. They are shown only now.</p>
    <ul class="mt-2 grid grid-cols-2 gap-x-8 gap-y-1 font-mono" aria-label="Recovery codes">
      <li v-for="one in codes" :key="one">{{ one }}</li>
    </ul>
    <button type="button" class="button mt-3" @click="codes = []">I have saved them</button>
  </div>
  <form
    v-if="begun"
    class="mt-4 flex max-w-3xl flex-wrap gap-6"
    aria-label="Codes from an app"
    @submit.prevent="prove.mutate()"
  >
    <svg
      :viewBox="`-4 -4 ${square.size + 8} ${square.size + 8}`"
      class="size-[196px] shrink-0 rounded bg-white"
      shape-rendering="crispEdges"
      role="img"
      aria-label="QR code for your app; the same is beside it as text"
    >
      <path :d="square.path" fill="black" />
    </svg>
    <div class="grid max-w-sm content-start gap-3">
      <p>Scan this with the app on your phone, or type into it:</p>
      <p class="font-mono break-words">{{ spelled }}</p>
      <FormField label="The code that it shows now">
        <input
          v-model="code"
          class="field w-[140px] font-mono"
          required
          maxlength="20"
          inputmode="numeric"
          autocomplete="one-time-code"
          name="code"
        />
      </FormField>
      <ProblemNote v-if="prove.error.value" :error="prove.error.value" />
      <div class="flex gap-[10px]">
        <button type="submit" class="button button-act" :disabled="prove.isPending.value">
          Use these codes
        </button>
        <button type="button" class="button" @click="begun = undefined">Cancel</button>
      </div>
    </div>
  </form>
  <form v-else class="mt-4 flex max-w-3xl flex-wrap items-end gap-3" @submit.prevent="begin.mutate()">
    <FormField label="Its name, such as the device it is on">
      <input v-model="name" class="field w-[220px]" maxlength="60" autocomplete="off" name="factor" />
    </FormField>
    <button type="submit" class="button" :disabled="busy">Add codes from an app…</button>
    <button v-if="passkeysHere()" type="button" class="button" :disabled="busy" @click="passkey.mutate()">
      Add a passkey…
    </button>
  </form>
  <ProblemNote v-if="trouble" :error="trouble" class="mt-3 max-w-xl" />
</template>
