<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take, type NewProvider } from "@/api/client";
import { useSession } from "@/api/session";
import { useProviders } from "@/features/providers/useProviders";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { several } from "@/ui/words";

/** What a workspace needs before it is of use, for whoever can do it; gone once that is done. */
const props = defineProps<{
  summary: { entries: number; accounts: number; parties: number; flagged: number };
}>();
const router = useRouter();
const queries = useQueryClient();
const session = useSession();
const mayAdd = session.may("providers.add");
const { providers, reading, isPending } = useProviders();
const reviews = useQuery({
  queryKey: ["reviews"],
  queryFn: () => take(api.GET("/reviews")),
  enabled: mayAdd,
});
const people = useQuery({ queryKey: ["people"], queryFn: () => take(api.GET("/people")), enabled: mayAdd });

const known = computed(() => props.summary.entries > 0);
const reviewed = computed(() => !!reviews.data.value?.items.length);
const together = computed(() => (people.data.value?.items.length ?? 0) > 1);
const shown = computed(
  () =>
    mayAdd.value &&
    !isPending.value &&
    !!reviews.data.value &&
    !!people.data.value &&
    !(known.value && reviewed.value && together.value),
);

type Way = "import" | "keep";
const WAYS: Record<Way, { title: string; says: string; next: string }> = {
  import: {
    title: "Bring a list",
    says: "You have a spreadsheet, or any table, of who can use what. You see what it comes to before it counts.",
    next: "Choose the file",
  },
  keep: {
    title: "Write down what you know",
    says: "Who knows the alarm code, who runs the club's page: an entry takes ten seconds, and you vouch for it.",
    next: "Write the first entry",
  },
};
const way = ref<Way>();
const name = ref("");
const place = useMutation({
  mutationFn: () =>
    take(
      api.POST("/providers", {
        body: { name: name.value, connector: "by-hand", settings: {}, secret: "" } as NewProvider,
      }),
    ),
  onSuccess: async (made) => {
    await queries.invalidateQueries({ queryKey: ["providers"] });
    await router.push(
      way.value === "import" ? `/providers/${made.ref}/import` : `/providers/${made.ref}?do=keep`,
    );
  },
});
</script>

<template>
  <section v-if="shown" class="mt-6 max-w-4xl border-y border-rule py-5" aria-label="First steps">
    <h2 class="text-title!">First steps</h2>
    <ol class="mt-3 grid gap-4">
      <li v-if="!known">
        <p class="font-[620]">Let Open Latch know who can use your accounts. There are three ways.</p>
        <p v-if="reading.length" class="mt-1" role="status">
          {{ reading[0]?.name }} is being read<template v-if="reading[0]?.latest?.seen"
            >: {{ several(reading[0].latest.seen, "entry", "entries") }} so far</template
          >.
        </p>
        <p v-else-if="providers.length" class="mt-1 text-mute">
          {{ several(providers.length, "provider is", "providers are") }} here, and nothing is known of
          {{ providers.length === 1 ? "it" : "them" }} yet.
          <RouterLink class="link" to="/providers">Look at what is missing</RouterLink>
        </p>
        <div class="mt-3 grid grid-cols-3 gap-6 max-md:grid-cols-1">
          <div>
            <h3>Connect a provider</h3>
            <p class="mt-1 text-plain text-mute">
              A service where your accounts live: it is read every quarter of an hour, and access can be ended
              from here.
            </p>
            <RouterLink class="button button-act mt-3 inline-block" to="/providers?add=1"
              >Connect a provider</RouterLink
            >
          </div>
          <div v-for="({ title, says }, each) in WAYS" :key="each">
            <h3>{{ title }}</h3>
            <p class="mt-1 text-plain text-mute">{{ says }}</p>
            <button type="button" class="button mt-3" :aria-expanded="way === each" @click="way = each">
              {{ title }}
            </button>
          </div>
        </div>
        <form v-if="way" class="mt-4 flex flex-wrap items-start gap-3" @submit.prevent="place.mutate()">
          <FormField
            label="What people can use there"
            hint="For example: Keys and codes, or The club's pages"
          >
            <input
              v-model="name"
              class="field w-[320px]"
              required
              maxlength="200"
              autofocus
              autocomplete="off"
            />
          </FormField>
          <button type="submit" class="button button-act mt-[21px]" :disabled="place.isPending.value">
            {{ WAYS[way].next }}
          </button>
          <button type="button" class="button mt-[21px]" @click="way = undefined">Cancel</button>
          <ProblemNote v-if="place.error.value" :error="place.error.value" class="w-full" />
        </form>
      </li>
      <li v-else>
        <p>
          <b class="font-[620]">Known so far:</b>
          {{ several(summary.parties, "party", "parties") }} with
          {{ several(summary.entries, "entry", "entries") }} on {{ several(summary.accounts, "account")
          }}<template v-if="summary.flagged"
            >; {{ summary.flagged }} {{ summary.flagged === 1 ? "has" : "have" }} a flag.
            <RouterLink class="link" to="/inventory?flagged=true&sort=risk"
              >Look at the riskiest</RouterLink
            ></template
          ><template v-else>; none has a flag.</template>
        </p>
      </li>
      <li v-if="known && !reviewed">
        <p>
          <b class="font-[620]">Have it looked at again and again.</b>
          A review asks you, or whom you name, whether each access is still needed.
          <RouterLink class="link" to="/reviews?new=first">Plan a first review</RouterLink>
        </p>
      </li>
      <li v-if="known && !together">
        <p>
          <b class="font-[620]">Invite your colleagues.</b>
          An auditor sees everything and changes nothing; a reviewer answers for what they know.
          <RouterLink class="link" to="/people?invite=1">Invite someone</RouterLink>
        </p>
      </li>
    </ol>
  </section>
</template>
