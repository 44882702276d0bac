<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, defineAsyncComponent, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";
import DescriptionTrial from "./DescriptionTrial.vue";
import { BEGINNING, NAMES } from "./description";
import { addProvider, changeProvider } from "./provider";

/** A provider with an interface of its own: its description beside what comes of it, before it is used. */
const CodeField = defineAsyncComponent(() => import("@/ui/CodeField.vue"));
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const text = ref(BEGINNING);
const on = ref<"answers" | "provider">("answers");
const answers = ref("{}");
const name = ref("");
const url = ref("");
const secret = ref("");

/** The provider whose description it is, if it has one already. */
const there = computed(() => (typeof route.query.provider === "string" ? route.query.provider : ""));
const present = useQuery({
  queryKey: computed(() => ["providers", there.value]),
  queryFn: () => take(api.GET("/providers/{provider}", { params: { path: { provider: there.value } } })),
  enabled: computed(() => there.value !== ""),
});
/** The version that is looked at, if it is an earlier one. */
const version = computed(() => Number(route.query.version ?? 0));
const versions = useQuery({
  queryKey: computed(() => ["providers", there.value, "versions"]),
  queryFn: () =>
    take(api.GET("/providers/{provider}/versions", { params: { path: { provider: there.value } } })),
  enabled: computed(() => there.value !== "" && version.value > 0),
});
const earlier = computed(() => versions.data.value?.items.find((one) => one.number === version.value));
watch(
  earlier,
  (one) => {
    if (one) text.value = one.settings.description ?? text.value;
  },
  { immediate: true },
);
watch(
  () => present.data.value,
  (provider) => {
    if (!provider) return;
    name.value = provider.name;
    url.value = provider.settings.url ?? "";
    text.value = earlier.value?.settings.description ?? provider.settings.description ?? BEGINNING;
    on.value = "provider";
  },
  { immediate: true },
);

/** The recorded answers; null where they are no JSON object. */
const recorded = computed((): Record<string, unknown> | null => {
  try {
    const found: unknown = JSON.parse(answers.value);
    return found && typeof found === "object" && !Array.isArray(found)
      ? (found as Record<string, unknown>)
      : null;
  } catch {
    return null;
  }
});
const attempt = useMutation({
  mutationFn: () => {
    const live = on.value === "provider";
    const body = {
      description: text.value,
      url: live ? url.value : "",
      secret: live ? secret.value : "",
      answers: live || recorded.value === null || !Object.keys(recorded.value).length ? null : recorded.value,
    };
    return take(api.POST("/descriptions/trial", { body }));
  },
});
/** Every mistake in the description, each with its line. */
const wrong = computed(() => (attempt.error.value instanceof Problem ? attempt.error.value.errors : []));
const save = useMutation({
  mutationFn: () => {
    const settings = { url: url.value, description: text.value };
    return there.value
      ? changeProvider(there.value, { settings, secret: secret.value || null })
      : addProvider({ name: name.value, connector: "described", settings, secret: secret.value });
  },
  onSuccess: async (provider) => {
    await queries.invalidateQueries({ queryKey: ["providers"] });
    await router.push(`/providers/${provider.ref}`);
  },
});
</script>

<template>
  <section
    class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4"
    aria-label="Describe a provider"
    tabindex="0"
  >
    <h1>Describe a provider</h1>
    <p class="mt-[5px] max-w-3xl text-mute">
      For a service with an HTTP and JSON interface of its own. The description says what to ask for and what
      the answers mean; trying it changes nothing there.
      <a class="link" href="/help/guide/described.html">How to write one</a>
    </p>
    <p v-if="earlier" class="mt-2 text-plain">
      {{ name }} as in version {{ earlier.number
      }}{{ earlier.present ? ", the present one" : ", which is not in use" }}.
    </p>
    <div class="mt-5 grid grid-cols-2 gap-x-8 gap-y-6 max-lg:grid-cols-1">
      <div class="min-w-0">
        <CodeField
          v-model="text"
          class="h-[calc(100vh-250px)] min-h-[320px]"
          label="The description, as TOML"
          language="toml"
          :names="NAMES"
        />
      </div>
      <div class="min-w-0">
        <form class="grid max-w-[560px] gap-3" aria-label="Try it" @submit.prevent="attempt.mutate()">
          <SegmentedButtons
            label="What it is tried on"
            :choices="[
              ['answers', 'on recorded answers'],
              ['provider', 'on the provider'],
            ]"
            :chosen="on"
            @choose="on = $event as 'answers' | 'provider'"
          />
          <FormField
            v-if="on === 'answers'"
            label="Answers, as JSON, by path and query as they are asked for"
          >
            <textarea
              v-model="answers"
              class="field h-[110px] w-full font-mono text-small"
              spellcheck="false"
            />
          </FormField>
          <template v-else>
            <FormField label="Its address">
              <input
                v-model="url"
                class="field w-full"
                placeholder="https://club.example/api"
                maxlength="2000"
              />
            </FormField>
            <FormField :label="there ? 'Secret (needed to try it)' : 'Secret'">
              <input
                v-model="secret"
                class="field w-full"
                type="password"
                autocomplete="off"
                maxlength="10000"
              />
            </FormField>
          </template>
          <p v-if="on === 'answers' && recorded === null" class="text-plain text-high" role="alert">
            The answers are no JSON object.
          </p>
          <div class="flex flex-wrap gap-[10px]">
            <button
              type="submit"
              class="button"
              :disabled="attempt.isPending.value || (on === 'answers' && recorded === null)"
            >
              {{ attempt.isPending.value ? "Trying it…" : "Try it" }}
            </button>
          </div>
        </form>
        <div aria-live="polite" class="mt-5">
          <template v-if="attempt.error.value">
            <ProblemNote :error="attempt.error.value" />
            <ul v-if="wrong.length > 1" class="mt-3 text-plain" aria-label="Mistakes">
              <li v-for="one in wrong" :key="`${one.at} ${one.problem}`" class="mt-1">
                <b class="font-[560]">{{ one.at }}</b> {{ one.problem }}
                <span v-if="one.hint" class="text-mute">{{ one.hint }}</span>
              </li>
            </ul>
          </template>
          <DescriptionTrial v-else-if="attempt.data.value" :trial="attempt.data.value" />
          <p v-else class="text-mute">What comes of it appears here, before anything is used.</p>
        </div>
        <form
          v-if="on === 'provider' && attempt.data.value?.tried && !attempt.data.value.trouble"
          class="mt-6 grid max-w-[560px] gap-3 border-t border-rule pt-4"
          aria-label="Use it"
          @submit.prevent="save.mutate()"
        >
          <FormField v-if="!there" label="What you call the provider">
            <input v-model="name" class="field w-full" required maxlength="200" />
          </FormField>
          <ProblemNote v-if="save.error.value" :error="save.error.value" />
          <button type="submit" class="button button-act justify-self-start" :disabled="save.isPending.value">
            {{ there ? `Use it for ${name}` : "Add the provider, and read it" }}
          </button>
        </form>
      </div>
    </div>
  </section>
</template>
