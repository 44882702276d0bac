<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { api, take, type Provider } from "@/api/client";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";

/** What a provider reports of someone by security events, and from whom these come. */
const props = defineProps<{ provider: Provider }>();
const session = useSession();
const mayListen = session.may("security_events.listen");
const now = useNow();
const queries = useQueryClient();
const params = { path: { provider: props.provider.id } };
const COLUMNS: Column[] = [
  { key: "received", title: "Received", cell: "whitespace-nowrap" },
  { key: "whom", title: "Whom", class: "min-w-[190px]" },
  { key: "reported", title: "Reported", class: "min-w-[150px]" },
  { key: "came", title: "Result", class: "min-w-[220px]" },
];
const stream = useQuery({
  queryKey: ["event-stream", props.provider.id],
  queryFn: async () => {
    try {
      return await take(api.GET("/providers/{provider}/event-stream", { params }));
    } catch (error) {
      if (error instanceof Problem && error.status === 404) return null;
      throw error;
    }
  },
});
const events = useQuery({
  queryKey: ["security-events", props.provider.id],
  queryFn: () => take(api.GET("/providers/{provider}/security-events", { params })),
  refetchInterval: 5000,
});
const rows = computed(() => events.data.value?.items ?? []);
const form = reactive({ issuer: "", keys: "", audience: "", poll: "", secret: "" });
const open = ref(false);
const made = ref("");
watch(open, () => {
  const { issuer = "", keys = "", audience = "", poll = "", address = "" } = stream.data.value ?? {};
  Object.assign(form, { issuer, keys, audience: audience === address ? "" : audience, poll, secret: "" });
});
async function changed(): Promise<void> {
  await queries.invalidateQueries({ queryKey: ["event-stream", props.provider.id] });
}
const save = useMutation({
  mutationFn: () => {
    const body = { ...form, secret: form.poll && form.secret ? form.secret : null };
    return take(api.PUT("/providers/{provider}/event-stream", { params, body }));
  },
  onSuccess: async (kept) => {
    made.value = kept.secret;
    open.value = false;
    await changed();
  },
});
const stop = useMutation({
  mutationFn: () => take(api.DELETE("/providers/{provider}/event-stream", { params })),
  onSuccess: async () => {
    made.value = "";
    await changed();
  },
});
const facts = computed(() => {
  const one = stream.data.value;
  if (!one) return [];
  return [
    ["Issuer", one.issuer],
    ["Its keys", one.keys],
    ["For", one.audience],
    ["Fetched from", one.poll],
    ["Sent to", one.address],
  ].filter(([, value]) => value);
});
</script>

<template>
  <section class="mt-4 max-w-3xl" :aria-label="`What ${provider.name} reports`">
    <p class="max-w-2xl text-plain text-mute">
      {{ provider.name }}, or where its people sign in, can report at once that someone’s sessions were
      revoked, that their credentials were changed, or that their account was disabled or deleted (Security
      Event Tokens, RFC 8417). Whoever is meant is read again; what else is done is set in the policy.
    </p>
    <ProblemNote v-if="stream.error.value" :error="stream.error.value" class="mt-3 max-w-xl" />
    <p v-else-if="stream.isPending.value" class="mt-3 text-mute" role="status">Loading…</p>
    <template v-else>
      <p v-if="!stream.data.value" class="mt-3">Open Latch takes no security events of it yet.</p>
      <dl v-else class="mt-3 grid grid-cols-[110px_minmax(0,1fr)] gap-y-[6px]">
        <template v-for="[name, value] in facts" :key="name">
          <dt class="text-mute">{{ name }}</dt>
          <dd class="font-mono text-small break-all select-all">{{ value }}</dd>
        </template>
        <dt class="text-mute">Last received</dt>
        <dd :title="exact(stream.data.value.heard_at)">
          {{ stream.data.value.heard_at ? ago(stream.data.value.heard_at, now) : "never" }}
          <b v-if="stream.data.value.trouble" class="block font-semibold text-high">{{
            stream.data.value.trouble
          }}</b>
        </dd>
      </dl>
      <p v-if="made" class="mt-4 max-w-2xl border-l-2 border-act pl-3">
        Events must be sent with this secret as a bearer token. It is shown only now:
        <code class="mt-1 block font-mono text-plain break-all select-all">{{ made }}</code>
      </p>
      <div v-if="mayListen && !open" class="mt-3 flex gap-[10px]">
        <button type="button" class="button" @click="open = true">
          {{ stream.data.value ? "Change…" : "Listen…" }}
        </button>
        <button
          v-if="stream.data.value"
          type="button"
          class="button"
          :disabled="stop.isPending.value"
          @click="stop.mutate()"
        >
          Stop listening
        </button>
      </div>
      <ProblemNote v-if="stop.error.value" :error="stop.error.value" class="mt-3 max-w-xl" />
      <form v-if="open" class="mt-4 grid max-w-xl gap-3" @submit.prevent="save.mutate()">
        <FormField label="Issuer" hint="Exactly as it writes it.">
          <input
            v-model="form.issuer"
            class="field w-full font-mono"
            required
            maxlength="1000"
            placeholder="https://login.example"
            autocomplete="off"
          />
        </FormField>
        <FormField label="Address of its keys" hint="A JSON Web Key set that anyone can read.">
          <input
            v-model="form.keys"
            class="field w-full font-mono"
            required
            maxlength="2000"
            placeholder="https://login.example/keys.json"
            autocomplete="off"
          />
        </FormField>
        <FormField
          label="Address to fetch from"
          hint="Leave it empty to have them sent to an address made here."
        >
          <input v-model="form.poll" class="field w-full font-mono" maxlength="2000" autocomplete="off" />
        </FormField>
        <FormField
          v-if="form.poll"
          label="Token for fetching"
          hint="Leave it empty to keep the present one, unless the address changes."
        >
          <input
            v-model="form.secret"
            type="password"
            class="field w-full font-mono"
            maxlength="10000"
            autocomplete="off"
          />
        </FormField>
        <FormField label="Audience" hint="Leave it empty to use the address made here.">
          <input v-model="form.audience" class="field w-full font-mono" maxlength="1000" autocomplete="off" />
        </FormField>
        <ProblemNote v-if="save.error.value" :error="save.error.value" />
        <div class="flex gap-[10px]">
          <button type="submit" class="button button-act" :disabled="save.isPending.value">Listen</button>
          <button type="button" class="button" @click="open = false">Cancel</button>
        </div>
      </form>
    </template>
    <DataTable
      v-if="rows.length"
      class="mt-4"
      :columns="COLUMNS"
      :rows="rows"
      :key-of="(one) => one.id"
      :least="560"
    >
      <template #received="{ row: one }">
        <span :title="exact(one.received_at)">{{ ago(one.received_at, now) }}</span>
      </template>
      <template #whom="{ row: one }">
        <RouterLink v-if="one.party" class="link" :to="`/parties/${one.party.ref}`">{{
          one.party.name
        }}</RouterLink>
        <span v-else class="[overflow-wrap:anywhere]">{{ one.named }}</span>
      </template>
      <template #reported="{ row: one }">{{ one.says }}</template>
      <template #came="{ row: one }">{{ one.came_to || "In progress." }}</template>
    </DataTable>
    <ProblemNote v-if="events.error.value" :error="events.error.value" class="mt-3 max-w-xl" />
    <p class="mt-3 font-mono text-small text-mute">openlatch provider events '{{ provider.name }}'</p>
  </section>
</template>
