<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, day, exact } from "@/ui/time";

/** The tokens of one's programs: making one, which is shown once, and revoking one. */
const { zone } = useSession();
const now = useNow();
const queries = useQueryClient();
const TOKENS: Column[] = [
  { key: "name", title: "Name" },
  { key: "scope", title: "Scope" },
  { key: "ends", title: "Ends", cell: "whitespace-nowrap" },
  { key: "used", title: "Last used", cell: "whitespace-nowrap" },
  { key: "act", title: "Revoke", cell: "text-right", quiet: true },
];
const tokens = useQuery({ queryKey: ["me", "tokens"], queryFn: () => take(api.GET("/tokens")) });
const held = computed(() => (tokens.data.value?.items ?? []).filter((one) => !one.revoked_at));
const anew = { onSuccess: () => queries.invalidateQueries({ queryKey: ["me", "tokens"] }) };
const revoke = useMutation({
  mutationFn: (token_id: string) =>
    take(api.DELETE("/tokens/{token_id}", { params: { path: { token_id } } })),
  ...anew,
});
const form = reactive({ name: "", scope: "change" as "read" | "change", days: 30 });
const make = useMutation({
  mutationFn: () => take(api.POST("/me/tokens", { body: { ...form } })),
  ...anew,
});
</script>

<template>
  <h2 class="section max-w-3xl">Tokens of your programs</h2>
  <ProblemNote v-if="tokens.error.value" :error="tokens.error.value" class="max-w-xl" />
  <p v-else-if="tokens.isPending.value" class="text-mute" role="status">Loading…</p>
  <p v-else-if="!held.length" class="max-w-xl text-mute">
    None. The command line makes one when you sign in there:
    <code class="font-mono">openlatch sign-in</code>.
  </p>
  <div v-else class="max-w-3xl overflow-x-auto" tabindex="0" role="region" aria-label="Tokens">
    <DataTable :columns="TOKENS" :rows="held" :key-of="(one) => one.id" :least="520">
      <template #name="{ row: one }">{{ one.name }}</template>
      <template #scope="{ row: one }">{{ one.scope }}</template>
      <template #ends="{ row: one }">{{ day(one.expires_at, zone) }}</template>
      <template #used="{ row: one }">
        <span :title="exact(one.last_used_at)">{{
          one.last_used_at ? ago(one.last_used_at, now) : "never"
        }}</span>
      </template>
      <template #act="{ row: one }">
        <button
          type="button"
          class="link"
          :aria-label="`Revoke the token ${one.name}`"
          :disabled="revoke.isPending.value"
          @click="revoke.mutate(one.id)"
        >
          Revoke
        </button>
      </template>
    </DataTable>
  </div>
  <ProblemNote v-if="revoke.error.value" :error="revoke.error.value" class="mt-3 max-w-xl" />
  <form class="mt-4 flex max-w-3xl flex-wrap items-end gap-3" @submit.prevent="make.mutate()">
    <FormField label="A token for">
      <input
        v-model="form.name"
        class="field w-[220px]"
        required
        maxlength="200"
        placeholder="the desk's script"
        name="token-name"
      />
    </FormField>
    <FormField label="It may">
      <select v-model="form.scope" class="field" name="scope">
        <option value="change">read and change</option>
        <option value="read">read only</option>
      </select>
    </FormField>
    <FormField label="Days">
      <input
        v-model.number="form.days"
        class="field w-[80px]"
        type="number"
        min="1"
        max="365"
        required
        name="days"
      />
    </FormField>
    <button type="submit" class="button" :disabled="make.isPending.value">Make a token</button>
  </form>
  <ProblemNote v-if="make.error.value" :error="make.error.value" class="mt-3 max-w-xl" />
  <div v-else-if="make.data.value" class="mt-3 max-w-3xl" role="status">
    <p>This token is shown only now. Whoever has it can act as you: keep it like a password.</p>
    <p class="mt-1 font-mono text-small break-all select-all">{{ make.data.value.secret }}</p>
    <p class="small mt-1">
      At a terminal: <code class="font-mono">openlatch sign-in SERVER --with-token</code>
    </p>
  </div>
</template>
