<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take, type Provider } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import { addProvider, changeProvider } from "./provider";

/** A provider to be read from now on, or one that is recorded by hand; or with `provider`, that one changed. */
const props = defineProps<{ provider?: Provider }>();
const emit = defineEmits<{ done: []; added: [provider: Provider] }>();
const queries = useQueryClient();
const BY_HAND = "by-hand";
/** Its description is written on a page of its own. */
const DESCRIBED = "described";
const id = computed(() => props.provider?.id ?? "new");
const name = ref(props.provider?.name ?? "");
const chosen = ref(props.provider?.connector ?? BY_HAND);
const settings = ref<Record<string, string>>({ ...props.provider?.settings });
const secret = ref("");
const minutes = ref(props.provider?.read_every ?? 15);
const stale = ref(props.provider?.stale_after ?? 60);
const first = ref(props.provider?.says_who ?? false);

const { data, error } = useQuery({ queryKey: ["connectors"], queryFn: () => take(api.GET("/connectors")) });
const connectors = computed(() => data.value?.items ?? []);
const connector = computed(() => connectors.value.find((one) => one.name === chosen.value));
const fields = computed(() =>
  (connector.value?.settings ?? []).filter(
    (one) => chosen.value !== DESCRIBED || (props.provider && one.name !== "description"),
  ),
);
watch(chosen, () => {
  settings.value = {};
  secret.value = "";
});
const filled = computed(() =>
  Object.fromEntries(Object.entries(settings.value).filter(([, value]) => value)),
);
const elsewhere = computed(
  () =>
    JSON.stringify(Object.entries(filled.value).sort()) !==
    JSON.stringify(Object.entries(props.provider?.settings ?? {}).sort()),
);
async function change(provider: string): Promise<undefined> {
  const timed = chosen.value !== BY_HAND;
  await changeProvider(provider, {
    name: name.value,
    // What is reached otherwise is tried first: only what is different is sent.
    settings: elsewhere.value ? filled.value : null,
    secret: secret.value || null,
    read_every: timed ? minutes.value : null,
    stale_after: timed ? stale.value : null,
    says_who: timed ? first.value : null,
  });
}
const save = useMutation({
  mutationFn: () => (props.provider ? change(props.provider.id) : add()),
  onSuccess: async (made) => {
    await queries.invalidateQueries({ queryKey: ["providers"] });
    if (made) emit("added", made);
    else emit("done");
  },
});
function add(): Promise<Provider> {
  return addProvider({
    name: name.value,
    connector: chosen.value,
    settings: filled.value,
    secret: secret.value,
  });
}
const title = computed(() => (props.provider ? `Change ${props.provider.name}` : "Add a provider"));
const button = computed(() => {
  if (!props.provider) return chosen.value === BY_HAND ? "Add it" : "Add it, and read it now";
  return elsewhere.value || secret.value ? "Try it, then change it" : "Change it";
});
</script>

<template>
  <form class="mt-6 max-w-3xl border-t border-rule pt-4" :aria-label="title" @submit.prevent="save.mutate()">
    <h2>{{ title }}</h2>
    <ProblemNote v-if="error" :error="error" class="mt-3" />
    <div class="mt-3 grid grid-cols-[170px_minmax(0,1fr)] items-baseline gap-y-3">
      <label for="provider-name" class="text-mute">Name</label>
      <input id="provider-name" v-model="name" class="field max-w-md" required maxlength="200" />
      <label v-if="!provider" for="provider-connector" class="text-mute">How it is read</label>
      <select v-if="!provider" id="provider-connector" v-model="chosen" class="field max-w-md">
        <option :value="BY_HAND">not at all: recorded by hand</option>
        <option v-for="one in connectors" :key="one.name" :value="one.name">
          {{ one.name }}: {{ one.speaks }}
        </option>
      </select>
      <template v-if="chosen === DESCRIBED">
        <span class="text-mute">Description</span>
        <RouterLink
          class="link justify-self-start"
          :to="{ path: '/providers/describe', query: provider ? { provider: provider.ref } : {} }"
          >Write it, and try it beside what comes of it</RouterLink
        >
      </template>
      <template v-for="setting in fields" :key="`${chosen} ${setting.name}`">
        <label :for="`setting-${setting.name}`" class="text-mute">
          {{ setting.name.replaceAll("_", " ") }}<template v-if="!setting.needed"> (optional)</template>
        </label>
        <div>
          <textarea
            v-if="setting.lines"
            :id="`setting-${setting.name}`"
            v-model="settings[setting.name]"
            class="field h-[64px] w-full max-w-md font-mono text-small"
            :required="setting.needed"
            maxlength="100000"
            autocomplete="off"
            spellcheck="false"
          />
          <input
            v-else
            :id="`setting-${setting.name}`"
            v-model="settings[setting.name]"
            class="field w-full max-w-md"
            :required="setting.needed"
            maxlength="2000"
            autocomplete="off"
          />
          <span class="small mt-[2px] block">{{ setting.what }}</span>
        </div>
      </template>
      <template v-if="connector?.secret && (provider || chosen !== DESCRIBED)">
        <label for="provider-secret" class="text-mute">Secret</label>
        <div>
          <textarea
            id="provider-secret"
            v-model="secret"
            class="field h-[64px] w-full max-w-md font-mono text-small"
            maxlength="10000"
            autocomplete="off"
            spellcheck="false"
          />
          <span class="small block"
            >{{ connector.secret }}; stored encrypted, and never shown again<template v-if="provider"
              >. Leave it empty to keep the present one</template
            ></span
          >
        </div>
      </template>
      <template v-if="provider && connector">
        <label :for="`every-${id}`" class="text-mute">Read every</label>
        <span class="flex items-baseline gap-2">
          <input
            :id="`every-${id}`"
            v-model.number="minutes"
            class="field w-[90px]"
            type="number"
            min="1"
            max="10080"
          />
          minutes
        </span>
        <label :for="`first-${id}`" class="text-mute">Who people are</label>
        <span class="flex items-baseline gap-2">
          <input :id="`first-${id}`" v-model="first" type="checkbox" />
          its names, addresses, status and sponsors count before those of all other providers
        </span>
        <label :for="`stale-${id}`" class="text-mute">Too old after</label>
        <span class="flex items-baseline gap-2">
          <input
            :id="`stale-${id}`"
            v-model.number="stale"
            class="field w-[90px]"
            type="number"
            min="1"
            max="44640"
          />
          minutes
        </span>
      </template>
    </div>
    <ProblemNote v-if="save.error.value" :error="save.error.value" class="mt-3 max-w-xl" />
    <div class="mt-4 flex gap-[10px]">
      <button
        v-if="provider || chosen !== DESCRIBED"
        type="submit"
        class="button"
        :disabled="save.isPending.value"
      >
        {{ save.isPending.value && provider ? "Trying it…" : button }}
      </button>
      <button type="button" class="button" @click="emit('done')">Cancel</button>
    </div>
  </form>
</template>
