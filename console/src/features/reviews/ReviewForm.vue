<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, reactive } from "vue";
import { useRoute } from "vue-router";
import { api, take, type NewReview, type Review } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { day } from "@/ui/time";
import { leftOut, RHYTHMS } from "./decisions";
import AccountField from "@/features/inventory/AccountField.vue";
import FormField from "@/ui/FormField.vue";

const props = defineProps<{ review: Review | null }>();
const emit = defineEmits<{ close: []; saved: [] }>();
const { zone, me } = useSession();
const there = props.review;
/** What a first review is proposed to be about. */
const proposed = !there && useRoute().query.new === "first";
const where = (there?.where ?? {}) as Record<string, string | number | boolean>;
const form = reactive({
  name: there?.name ?? (proposed ? "The riskiest access" : ""),
  recurs: there?.recurs ?? "FREQ=MONTHLY;BYDAY=1MO",
  on: [...(there?.on ?? [])] as NonNullable<NewReview["on"]>,
  reviewers: there?.reviewers ?? ("named" as const),
  // Whoever makes it is asked, until they name someone else.
  named: there ? [...there.named] : me.value ? [me.value.person.address] : [],
  otherwise: there?.otherwise ?? "",
  answer_days: there?.answer_days ?? 14,
  unanswered: there?.unanswered ?? ("keep" as const),
  most: there?.most ?? 20,
  risk_limit: there?.risk_limit ?? 60,
  provider: String(where.provider ?? ""),
  account: String(where.account ?? ""),
  outside: where.outside === true,
  flagged: where.flagged === true,
  risk: Number(where.risk ?? (proposed ? 50 : 0)),
});
const rhythm = computed({
  get: () => (form.recurs === "" || RHYTHMS.some(([rule]) => rule === form.recurs) ? form.recurs : "own"),
  set: (rule) => (form.recurs = rule === "own" ? `${form.recurs || "FREQ=MONTHLY"};INTERVAL=2` : rule),
});
const people = useQuery({ queryKey: ["people"], queryFn: () => take(api.GET("/people")) });
const able = computed(() =>
  (people.data.value?.items ?? []).filter((one) => ["owner", "manager", "reviewer"].includes(one.role)),
);
const providers = useQuery({ queryKey: ["providers"], queryFn: () => take(api.GET("/providers")) });
const body = computed<NewReview>(() => ({
  name: form.name || "A new review",
  recurs: form.recurs,
  on: form.on,
  reviewers: form.reviewers,
  named: form.named,
  otherwise: form.otherwise,
  answer_days: form.answer_days,
  unanswered: form.unanswered,
  most: form.most,
  risk_limit: form.risk_limit,
  remind_days: there?.remind_days ?? 3,
  at: there?.at ?? "08:00",
  begins: there?.begins ?? null,
  substitutes: there?.substitutes ?? {},
  where: {
    // What this form does not show of a filter stays as it was.
    ...(where as object),
    q: String(where.q ?? ""),
    state: String(where.state ?? "standing"),
    kind: String(where.kind ?? ""),
    power: String(where.power ?? ""),
    party: String(where.party ?? ""),
    rule: String(where.rule ?? ""),
    unknown: null,
    mine: false,
    ends: (where.ends ?? "") as "",
    provider: form.provider,
    account: form.account,
    outside: form.outside || null,
    flagged: form.flagged || null,
    risk: form.risk,
  },
}));
const meant = useQuery({
  queryKey: computed(() => ["reviews", "check", body.value]),
  queryFn: () => take(api.POST("/reviews/check", { body: body.value })),
  enabled: computed(() => !!form.recurs || form.on.length > 0),
  retry: false,
});
const coming = computed(() => (meant.error.value ? [] : (meant.data.value?.coming ?? []).slice(0, 5)));
const save = useMutation({
  mutationFn: () =>
    there
      ? take(
          api.PUT("/reviews/{review}", {
            params: { path: { review: there.ref } },
            body: { ...body.value, version: there.version },
          }),
        )
      : take(api.POST("/reviews", { body: body.value })),
  onSuccess: () => emit("saved"),
});
</script>

<template>
  <SidePanel :label="there ? there.name : 'New review'" @close="emit('close')">
    <h2 class="pr-6">{{ there ? "Change this review" : "New review" }}</h2>
    <form class="mt-4 grid gap-4" @submit.prevent="save.mutate()">
      <FormField label="Name">
        <input v-model="form.name" class="field w-full" required maxlength="200" autocomplete="off" />
      </FormField>
      <fieldset class="grid gap-2">
        <legend class="small mb-1">What is reviewed</legend>
        <select v-model="form.provider" class="field w-full" aria-label="Provider">
          <option value="">at every provider</option>
          <option v-for="one in providers.data.value?.items" :key="one.id" :value="one.name">
            {{ one.name }}
          </option>
        </select>
        <AccountField
          v-model="form.account"
          bare
          placeholder="on every account; or type a part of the name of one"
        />
        <label class="inline-flex items-center gap-2"
          ><input v-model="form.outside" type="checkbox" /> only parties outside the circle</label
        >
        <label class="inline-flex items-center gap-2"
          ><input v-model="form.flagged" type="checkbox" /> only entries with a flag</label
        >
        <label class="inline-flex items-center gap-2"
          >a risk of at least
          <input v-model.number="form.risk" type="number" min="0" max="100" class="field w-[76px]"
        /></label>
      </fieldset>
      <fieldset class="grid gap-2">
        <legend class="small mb-1">When, at 08:00 {{ zone }}</legend>
        <select v-model="rhythm" class="field w-full" aria-label="Schedule">
          <option v-for="[rule, text] in RHYTHMS" :key="rule" :value="rule">{{ text }}</option>
          <option value="own">another schedule…</option>
          <option value="">no schedule</option>
        </select>
        <input
          v-if="rhythm === 'own'"
          v-model="form.recurs"
          class="field w-full font-mono text-plain"
          aria-label="Recurrence rule (RFC 5545)"
          spellcheck="false"
        />
        <p v-if="form.recurs && coming.length" class="small" aria-live="polite">
          The next {{ coming.length }}: {{ coming.map((at) => day(at, zone)).join(" · ") }}
        </p>
        <label class="inline-flex items-center gap-2"
          ><input v-model="form.on" type="checkbox" value="party-left" /> when someone has left</label
        >
        <label class="inline-flex items-center gap-2"
          ><input v-model="form.on" type="checkbox" value="administrator-added" /> when an administrator was
          added</label
        >
        <label class="inline-flex items-center gap-2"
          ><input v-model="form.on" type="checkbox" value="provider-breach" /> when a provider has reported a
          breach</label
        >
      </fieldset>
      <fieldset class="grid gap-2">
        <legend class="small mb-1">Who is asked (nobody is asked about their own access)</legend>
        <select v-model="form.reviewers" class="field w-full" aria-label="Reviewers">
          <option value="named">the people named here, each for whole accounts</option>
          <option value="administrators">each account's administrators</option>
          <option value="sponsor">the party's sponsor, else whoever gave it access</option>
        </select>
        <div v-if="form.reviewers === 'named'" class="grid gap-2">
          <label v-for="one in able" :key="one.id" class="inline-flex items-center gap-2">
            <input v-model="form.named" type="checkbox" :value="one.address" /> {{ one.name }}
            <span class="small">{{ one.role }}</span>
          </label>
        </div>
        <FormField label="Where nobody else can be asked">
          <select v-model="form.otherwise" class="field w-full">
            <option value="">an owner</option>
            <option v-for="one in able" :key="one.id" :value="one.address">{{ one.name }}</option>
          </select>
        </FormField>
      </fieldset>
      <fieldset class="grid gap-2">
        <legend class="small mb-1">If nobody answers</legend>
        <label class="inline-flex items-center gap-2"
          >within
          <input v-model.number="form.answer_days" type="number" min="1" max="366" class="field w-[76px]" />
          days</label
        >
        <select v-model="form.unanswered" class="field w-full" aria-label="What happens to it">
          <option value="keep">keep it, and raise a flag</option>
          <option value="narrow">narrow it to what was used, where that is known</option>
          <option value="pause">is paused</option>
          <option value="end">ends</option>
        </select>
        <label v-if="form.unanswered !== 'keep'" class="inline-flex items-center gap-2"
          >but no more than
          <input v-model.number="form.most" type="number" min="0" max="1000" class="field w-[76px]" /> of
          them</label
        >
      </fieldset>
      <div class="border-l-2 border-act pl-3 text-plain" aria-live="polite">
        <template v-if="meant.data.value && !meant.error.value">
          <p>
            Schedule: {{ meant.data.value.says }}. {{ meant.data.value.entries }} entries now.
            <b v-if="meant.data.value.left_out">{{ leftOut(meant.data.value.left_out) }}</b>
            {{ " " }}
            <b v-if="meant.data.value.unasked" class="text-high"
              >Nobody could be asked about {{ meant.data.value.unasked }} of them.</b
            >
          </p>
        </template>
        <ProblemNote v-else-if="meant.error.value" :error="meant.error.value" />
        <p v-else class="text-mute">Working out what that means…</p>
      </div>
      <ProblemNote v-if="save.error.value" :error="save.error.value" />
      <div class="acts">
        <button type="submit" class="button button-act" :disabled="save.isPending.value">
          {{ there ? "Change it" : "Add the review" }}
        </button>
        <button type="button" class="button" @click="emit('close')">Cancel</button>
      </div>
    </form>
  </SidePanel>
</template>
