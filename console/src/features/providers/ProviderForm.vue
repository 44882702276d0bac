<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take, type NewProvider } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";

/** A provider to be read from now on, or one that is kept by hand. */
const emit = defineEmits<{ done: [] }>();
const queries = useQueryClient();
const BY_HAND = "by-hand";
const name = ref("");
const chosen = ref(BY_HAND);
const settings = ref<Record<string, string>>({});
const secret = ref("");

const { data, error } = useQuery({ queryKey: ["connectors"], queryFn: () => take(api.GET("/connectors")) });
const connectors = computed(() => data.value?.items ?? []);
const connector = computed(() => connectors.value.find((one) => one.name === chosen.value));
watch(chosen, () => {
  settings.value = {};
  secret.value = "";
});
const add = useMutation({
  mutationFn: () =>
    take(
      api.POST("/providers", {
        body: {
          name: name.value,
          connector: chosen.value,
          settings: Object.fromEntries(Object.entries(settings.value).filter(([, value]) => value)),
          secret: secret.value,
          // How often it is read, and what counts as old, is the service's to say until somebody says otherwise.
        } as NewProvider,
      }),
    ),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["providers"] });
    emit("done");
  },
});
</script>

<template>
  <form
    class="mt-6 max-w-3xl border-t border-rule pt-4"
    aria-label="Add a provider"
    @submit.prevent="add.mutate()"
  >
    <h2>Add a provider</h2>
    <ProblemNote v-if="error" :error="error" class="mt-3" />
    <div class="mt-3 grid grid-cols-[170px_minmax(0,1fr)] items-baseline gap-y-3">
      <label for="provider-name" class="text-mute">Name</label>
      <input id="provider-name" v-model="name" class="field max-w-md" required maxlength="200" />
      <label for="provider-connector" class="text-mute">How it is read</label>
      <select id="provider-connector" v-model="chosen" class="field max-w-md">
        <option :value="BY_HAND">not at all: kept by hand</option>
        <option v-for="one in connectors" :key="one.name" :value="one.name">
          {{ one.name }}: {{ one.speaks }}
        </option>
      </select>
      <template v-for="setting in connector?.settings ?? []" :key="`${chosen} ${setting.name}`">
        <label :for="`setting-${setting.name}`" class="text-mute">
          {{ setting.name.replaceAll("_", " ") }}<template v-if="!setting.needed">, if needed</template>
        </label>
        <div>
          <input
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
      <template v-if="connector?.secret">
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
          <span class="small block">{{ connector.secret }}; kept encrypted, and never shown again</span>
        </div>
      </template>
    </div>
    <ProblemNote v-if="add.error.value" :error="add.error.value" class="mt-3 max-w-xl" />
    <div class="mt-4 flex gap-[10px]">
      <button type="submit" class="button" :disabled="add.isPending.value">
        {{ chosen === BY_HAND ? "Add it" : "Add it, and read it now" }}
      </button>
      <button type="button" class="link" @click="emit('done')">Not now</button>
    </div>
  </form>
</template>
