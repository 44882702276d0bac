<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import OwnTokens from "./OwnTokens.vue";
import SecondFactors from "./SecondFactors.vue";

/** What one sees and changes of oneself. */
const session = useSession();
const { me, zone } = session;
const now = useNow();
const queries = useQueryClient();
const SESSIONS: Column[] = [
  { key: "device", title: "Device" },
  { key: "network", title: "Network address" },
  { key: "since", title: "Since", cell: "whitespace-nowrap" },
  { key: "seen", title: "Last seen", cell: "whitespace-nowrap" },
  { key: "act", title: "End", cell: "text-right", quiet: true },
];
const LANGUAGES = [
  ["", "as usual here: 30 Nov 2026"],
  ["en-US", "English (US): Nov 30, 2026"],
  ["de", "German: 30. Nov. 2026"],
  ["fr", "French: 30 nov. 2026"],
  ["es", "Spanish: 30 nov 2026"],
  ["pt", "Portuguese: 30/11/2026"],
  ["sv", "Swedish: 30 nov. 2026"],
  ["ja", "Japanese: 2026年11月30日"],
] as const;
const zones = Intl.supportedValuesOf("timeZone");

const form = reactive({ name: "", zone: "", dates: "" });
const person = computed(() => me.value?.person);
watch(person, (one) => one && Object.assign(form, { name: one.name, zone: one.zone, dates: one.dates }), {
  immediate: true,
});
const same = computed(
  () =>
    form.name === person.value?.name && form.zone === person.value.zone && form.dates === person.value.dates,
);
const change = useMutation({
  mutationFn: () => take(api.PUT("/me", { body: { ...form } })),
  onSuccess: () => session.refetch(),
});

const password = ref("");
const setPassword = useMutation({
  mutationFn: () => take(api.PUT("/me/password", { body: { password: password.value } })),
  onSuccess: async () => {
    password.value = "";
    await queries.invalidateQueries({ queryKey: ["me", "sessions"] });
  },
});
const address = ref("");
const setAddress = useMutation({
  mutationFn: () => take(api.POST("/me/address", { body: { address: address.value } })),
  onSuccess: () => (address.value = ""),
});

const sessions = useQuery({ queryKey: ["me", "sessions"], queryFn: () => take(api.GET("/me/sessions")) });
const here = computed(() => sessions.data.value?.items ?? []);
const end = useMutation({
  mutationFn: async (session_id: string | null) => {
    if (session_id === null) await take(api.DELETE("/me/sessions"));
    else await take(api.DELETE("/me/sessions/{session_id}", { params: { path: { session_id } } }));
  },
  onSuccess: () => queries.invalidateQueries({ queryKey: ["me", "sessions"] }),
});
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="My account" tabindex="0">
    <h1>My account</h1>
    <p class="mt-[5px] text-mute">
      {{ person?.address }}, {{ person?.role }} of {{ me?.workspace.name }}. Letters and your calendar:
      <RouterLink class="link" to="/told">notices</RouterLink>.
    </p>
    <h2 class="section max-w-3xl">You</h2>
    <form class="flex max-w-3xl flex-wrap items-end gap-3" @submit.prevent="change.mutate()">
      <FormField label="Name">
        <input v-model="form.name" class="field w-[220px]" required maxlength="200" name="name" />
      </FormField>
      <FormField label="Dates">
        <select v-model="form.dates" class="field w-[210px]" name="dates">
          <option v-for="[tag, text] in LANGUAGES" :key="tag" :value="tag">{{ text }}</option>
        </select>
      </FormField>
      <FormField :label="`Times in (${me?.workspace.zone} if empty)`">
        <input v-model="form.zone" class="field w-[200px]" list="own-zones" name="zone" />
        <datalist id="own-zones"><option v-for="one in zones" :key="one" :value="one" /></datalist>
      </FormField>
      <button type="submit" class="button" :disabled="same || change.isPending.value">Save</button>
      <span v-if="change.data.value && same" role="status" class="pb-2">Saved.</span>
    </form>
    <p class="small mt-1">Days on which access ends are always in the zone of the workspace.</p>
    <ProblemNote v-if="change.error.value" :error="change.error.value" class="mt-3 max-w-xl" />

    <div class="grid max-w-3xl grid-cols-2 gap-x-10 max-md:grid-cols-1">
      <form @submit.prevent="setPassword.mutate()">
        <h2 class="section">Password</h2>
        <FormField label="New password" hint="At least 12 characters; four unrelated words are good.">
          <input
            v-model="password"
            class="field w-full"
            type="password"
            required
            minlength="12"
            maxlength="500"
            autocomplete="new-password"
            name="password"
          />
        </FormField>
        <button type="submit" class="button mt-3" :disabled="setPassword.isPending.value">
          Change the password
        </button>
        <p v-if="setPassword.data.value" class="mt-2" role="status">
          Changed. {{ setPassword.data.value.sessions }} other
          {{ setPassword.data.value.sessions === 1 ? "session" : "sessions" }} ended.
        </p>
        <ProblemNote v-if="setPassword.error.value" :error="setPassword.error.value" class="mt-3" />
      </form>
      <form @submit.prevent="setAddress.mutate()">
        <h2 class="section">Address</h2>
        <FormField label="New address" hint="It takes effect once you have used the link that is sent there.">
          <input
            v-model="address"
            class="field w-full"
            type="email"
            required
            maxlength="200"
            autocomplete="email"
            name="address"
          />
        </FormField>
        <button type="submit" class="button mt-3" :disabled="setAddress.isPending.value">
          Send the link
        </button>
        <p v-if="setAddress.data.value" class="mt-2" role="status">
          A letter is on its way to {{ setAddress.data.value.address }}.
        </p>
        <ProblemNote v-if="setAddress.error.value" :error="setAddress.error.value" class="mt-3" />
      </form>
    </div>

    <SecondFactors />

    <h2 class="section max-w-3xl">Where you are signed in</h2>
    <ProblemNote v-if="sessions.error.value" :error="sessions.error.value" class="max-w-xl" />
    <p v-else-if="sessions.isPending.value" class="text-mute" role="status">Loading…</p>
    <div v-else class="max-w-3xl overflow-x-auto" tabindex="0" role="region" aria-label="Sessions">
      <DataTable :columns="SESSIONS" :rows="here" :key-of="(one) => one.id" :least="520">
        <template #device="{ row: one }">
          {{ one.device }}<b v-if="one.present" class="font-[620] text-good"> this one</b>
        </template>
        <template #network="{ row: one }">{{ one.network }}</template>
        <template #since="{ row: one }">{{ moment(one.created_at, zone) }}</template>
        <template #seen="{ row: one }">
          <span :title="exact(one.seen_at)">{{ one.seen_at ? ago(one.seen_at, now) : "" }}</span>
        </template>
        <template #act="{ row: one }">
          <button
            v-if="!one.present"
            type="button"
            class="link"
            :aria-label="`End the session of ${one.device}, since ${moment(one.created_at, zone)}`"
            :disabled="end.isPending.value"
            @click="end.mutate(one.id)"
          >
            End
          </button>
        </template>
      </DataTable>
    </div>
    <button
      v-if="here.length > 1"
      type="button"
      class="button mt-3"
      :disabled="end.isPending.value"
      @click="end.mutate(null)"
    >
      End all others
    </button>
    <ProblemNote v-if="end.error.value" :error="end.error.value" class="mt-3 max-w-xl" />

    <OwnTokens />
    <p class="mt-6 font-mono text-small text-mute">
      openlatch me show; openlatch me factors; openlatch me sessions; openlatch token list
    </p>
  </section>
</template>
