<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref } from "vue";
import { api, take, type Entry } from "@/api/client";
import { POWERS } from "@/api/words";
import ProblemNote from "@/ui/ProblemNote.vue";
import SomebodyElse from "@/ui/SomebodyElse.vue";
import DateField from "@/ui/DateField.vue";
import ComboField from "@/ui/ComboField.vue";
import AddressField from "@/features/inventory/AddressField.vue";

/** One entry that no reading shows; whoever keeps it vouches for it. */
const props = defineProps<{ provider: string }>();
const queries = useQueryClient();
const KINDS: [Entry["kind"], string][] = [
  ["delegate", "valid until ended"],
  ["grant", "has an end"],
  ["secret", "a password, key or code that they know"],
  ["app", "a connected application"],
  ["offer", "not yet accepted"],
  ["open", "open to anyone"],
];
const EMPTY = { account: "", party: "", address: "", level: "", given_by: "", basis: "", ends: "" };
const said = reactive({ ...EMPTY });
const kind = ref<Entry["kind"]>("delegate");
const powers = ref<(typeof POWERS)[number][]>([]);
const known = ref(false);

/** Accounts of this provider, so that none is written down twice under two names; two of one name are told by key. */
const seeks = ref("");
const accounts = useQuery({
  queryKey: computed(() => ["accounts", "of", props.provider, seeks.value]),
  queryFn: () =>
    take(
      api.GET("/accounts", { params: { query: { provider: props.provider, q: seeks.value, limit: 12 } } }),
    ),
  placeholderData: keepPreviousData,
});
const places = computed(() => {
  const names = (accounts.data.value?.items ?? []).map((one) => one.name);
  const shared = (name: string): boolean => names.filter((one) => one === name).length > 1;
  return (accounts.data.value?.items ?? []).map((one) => ({
    key: shared(one.name) ? one.key : one.name,
    name: shared(one.name) ? `${one.name} (${one.key})` : one.name,
    detail: one.key,
  }));
});
const words = useQuery({
  queryKey: computed(() => ["providers", props.provider, "levels"]),
  queryFn: () =>
    take(api.GET("/providers/{provider}/levels", { params: { path: { provider: props.provider } } })),
});
const levels = computed(() =>
  (words.data.value?.items ?? [])
    .filter((one) => one.word.toLowerCase().includes(said.level.toLowerCase()))
    .map((one) => ({ key: one.word, name: one.word, detail: one.powers?.join(", ") ?? "" })),
);
const own = (text: string) => (text ? { key: text, name: text, detail: "" } : null);
const anyone = computed(() => kind.value === "open");

const keep = useMutation({
  mutationFn: (somebodyElse: boolean) =>
    take(
      api.POST("/providers/{provider}/entries", {
        params: { path: { provider: props.provider } },
        body: {
          account: said.account,
          party: anyone.value ? "Anyone" : said.party,
          addresses: said.address && !anyone.value ? [said.address] : [],
          party_kind: anyone.value ? "anyone" : kind.value === "app" ? "app" : "person",
          party_status: "unknown",
          kind: kind.value,
          level: said.level,
          powers: known.value ? powers.value : null,
          permissions: [],
          resources: [],
          given_by: said.given_by,
          basis: said.basis,
          ends_at: kind.value === "grant" ? said.ends : null,
          given_at: null,
          last_used: null,
          key: "",
          somebody_else: somebodyElse,
        },
      }),
    ),
  onSuccess: async () => {
    Object.assign(said, { ...EMPTY, account: said.account });
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await queries.invalidateQueries({ queryKey: ["providers"] });
  },
});
const kept = computed(() => keep.data.value);
</script>

<template>
  <form aria-label="Record an entry by hand" @submit.prevent="keep.mutate(false)">
    <div class="grid grid-cols-[170px_minmax(0,1fr)] items-baseline gap-y-3">
      <label for="keep-kind" class="text-mute">Kind</label>
      <select id="keep-kind" v-model="kind" class="field max-w-md">
        <option v-for="[word, what] in KINDS" :key="word" :value="word">{{ word }}: {{ what }}</option>
      </select>
      <span class="text-mute" aria-hidden="true">Account</span>
      <ComboField
        class="max-w-md"
        label="Account"
        bare
        required
        free
        name="account"
        placeholder="one that is known, or a new name"
        :chosen="own(said.account)"
        :choices="places"
        :busy="accounts.isFetching.value"
        :more="!!accounts.data.value?.next"
        @choose="said.account = $event.key"
        @type="said.account = $event"
        @search="seeks = $event"
      />
      <template v-if="!anyone">
        <label for="keep-party" class="text-mute">Who</label>
        <input id="keep-party" v-model="said.party" class="field max-w-md" maxlength="200" />
        <span class="text-mute" aria-hidden="true">Address</span>
        <AddressField
          v-model="said.address"
          class="max-w-md"
          label="Address"
          bare
          name="address"
          :kind="kind === 'app' ? 'app' : 'person'"
          @known="said.party ||= $event"
        />
      </template>
      <span class="text-mute" aria-hidden="true">Level, in its words</span>
      <ComboField
        class="max-w-md"
        label="Level, in its words"
        bare
        free
        name="level"
        :chosen="own(said.level)"
        :choices="levels"
        :busy="words.isFetching.value"
        @choose="said.level = $event.key"
        @type="said.level = $event"
      />
      <span class="text-mute">What it allows</span>
      <div>
        <label class="flex gap-2"><input v-model="known" type="checkbox" /> I know what it allows</label>
        <div v-if="known" class="mt-1 flex flex-wrap gap-x-4 gap-y-1" role="group" aria-label="Powers">
          <label v-for="power in POWERS" :key="power" class="flex gap-[6px]">
            <input v-model="powers" type="checkbox" :value="power" /> {{ power }}
          </label>
        </div>
        <span v-else class="small block"
          >It is shown as unknown, unless the meaning of the level is known.</span
        >
      </div>
      <template v-if="kind === 'grant'">
        <label for="keep-ends" class="text-mute">Last day</label>
        <DateField id="keep-ends" v-model="said.ends" class="max-w-[180px]" required />
      </template>
      <label for="keep-by" class="text-mute">Given by</label>
      <input id="keep-by" v-model="said.given_by" class="field max-w-md" maxlength="200" />
      <label for="keep-basis" class="text-mute">Reason</label>
      <input id="keep-basis" v-model="said.basis" class="field max-w-md" maxlength="1000" />
    </div>
    <ProblemNote v-if="keep.error.value" :error="keep.error.value" class="mt-3 max-w-xl">
      <SomebodyElse :error="keep.error.value" @sure="keep.mutate(true)" />
    </ProblemNote>
    <p v-else-if="kept" class="mt-3" role="status">
      <b class="font-[620]">{{ kept.party.name }} on {{ kept.account.name }}</b> is recorded. You vouch for
      it.
      <RouterLink class="link" :to="`/entries/${kept.ref}`">{{ kept.ref }}</RouterLink>
    </p>
    <button type="submit" class="button mt-4" :disabled="keep.isPending.value">Record it</button>
  </form>
</template>
