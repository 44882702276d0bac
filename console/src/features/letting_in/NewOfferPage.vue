<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { dateField, lastDay } from "@/ui/time";
import OfferPartFields from "./OfferPartFields.vue";
import OfferTerms from "./OfferTerms.vue";
import { commandOf, complete, emptyOffer, emptyPart, wishOf } from "./wish";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

/** Letting someone in: who, for what, within which limits; and what exactly that would be, before it is sent. */
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const { zone } = useSession();
const form = reactive(emptyOffer());
const said = (name: string): string => {
  const value = route.query[name];
  return typeof value === "string" ? value : "";
};
form.to = said("to");
form.request = said("request");
form.replaces = said("replaces");
const insteadOf = computed(() => said("instead_of"));
if (said("account")) form.parts = [emptyPart(said("account"))];

const tasks = useQuery({ queryKey: ["tasks"], queryFn: () => take(api.GET("/tasks")) });
const request = useQuery({
  queryKey: computed(() => ["requests", form.request]),
  queryFn: () => take(api.GET("/requests/{request}", { params: { path: { request: form.request } } })),
  enabled: computed(() => !!form.request),
});
const secret = useQuery({
  queryKey: computed(() => ["entries", "one", form.replaces]),
  queryFn: () => take(api.GET("/entries/{entry}", { params: { path: { entry: form.replaces } } })),
  enabled: computed(() => !!form.replaces),
});
const former = useQuery({
  queryKey: computed(() => ["offers", insteadOf.value]),
  queryFn: () => take(api.GET("/offers/{offer}", { params: { path: { offer: insteadOf.value } } })),
  enabled: computed(() => !!insteadOf.value),
});
const lastDayOf = (end: string | null | undefined): string => dateField(end, zone.value, { end: true });
const needs = computed(() => request.data.value?.needs ?? []);
/** The account that the address or the request names, by whatever names it: it is chosen by its short form. */
const named = computed(() => said("account") || (request.data.value?.account_id ?? ""));
const account = useQuery({
  queryKey: computed(() => ["accounts", "one", named.value]),
  queryFn: () => take(api.GET("/accounts/{account}", { params: { path: { account: named.value } } })),
  enabled: computed(() => named.value !== ""),
  retry: false,
});
watch(
  () => account.data.value,
  (found) => {
    const [first] = form.parts;
    if (found && first && (!first.account || first.account === named.value)) first.account = found.ref;
  },
  { immediate: true },
);
watch(
  () => request.data.value,
  (asked) => {
    if (!asked) return;
    form.to ||= asked.address;
    form.name ||= asked.name;
    form.basis ||= asked.reason;
    form.until ||= lastDayOf(asked.ends_at);
    const [first] = form.parts;
    if (first && !first.task && !first.level) {
      if (asked.level) Object.assign(first, { by: "level", level: asked.level });
      else if (asked.needs.length) first.task = "asked";
    }
  },
  { immediate: true },
);
watch(
  () => secret.data.value,
  (entry) => {
    if (!entry) return;
    form.to ||= entry.party.addresses.find((one) => one.indexOf("@") > 0) ?? "";
    form.name ||= entry.party.name;
    const [first] = form.parts;
    if (first && !first.account) first.account = entry.account.ref;
  },
  { immediate: true },
);
watch(
  () => former.data.value,
  (offer) => {
    if (!offer) return;
    Object.assign(form, { to: offer.address, name: offer.name, basis: offer.basis });
    const ends = offer.parts.map((part) => lastDayOf(part.ends_at));
    form.until = ends.includes("") ? "" : ([...ends].sort().at(-1) ?? "");
    form.starts =
      offer.starts_at && Date.parse(offer.starts_at) > Date.now()
        ? dateField(offer.starts_at, zone.value)
        : "";
    form.replaces = offer.replaces ?? "";
    form.endless = !form.until;
    form.parts = offer.parts.map((part) => ({
      ...emptyPart(part.account.ref),
      by: part.permissions.length ? "permissions" : "level",
      level: part.level,
      permissions: part.permissions,
      resources: part.resources.join(", "),
      hours: part.written_hours,
      until: lastDayOf(part.ends_at) === form.until ? "" : lastDayOf(part.ends_at),
      powerUntil: Object.fromEntries(
        Object.entries(part.power_ends).map(([power, end]) => [power, lastDayOf(end)]),
      ),
    }));
  },
  { immediate: true },
);

const wish = computed(() => wishOf(form, needs.value));
const asked = computed(() => JSON.stringify(wish.value));
// What was typed last is looked up once there is a pause in the typing.
const settled = ref(asked.value);
let timer = 0;
watch(asked, (now) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => (settled.value = now), 400);
});
const ready = computed(() => complete(form));
const check = useQuery({
  queryKey: computed(() => ["offers", "check", insteadOf.value, settled.value]),
  queryFn: () => {
    const body = JSON.parse(settled.value) as ReturnType<typeof wishOf>;
    return insteadOf.value
      ? take(api.POST("/offers/{offer}/check", { params: { path: { offer: insteadOf.value } }, body }))
      : take(api.POST("/offers/check", { body }));
  },
  // Never of what was there before the last typing: that may not even have been complete.
  enabled: computed(() => ready.value && settled.value === asked.value),
  retry: false,
  staleTime: 0,
});
const terms = computed(() => (ready.value && !check.error.value ? check.data.value : undefined));
const current = computed(() => settled.value === asked.value && !check.isFetching.value);
const stops = computed(() => terms.value?.remarks.some((one) => one.stops) ?? false);
const less = computed(() => terms.value?.remarks.some((one) => one.kind === "less") ?? false);
const understood = ref(false);
watch(
  () => terms.value?.digest,
  () => (understood.value = false),
);
const send = useMutation({
  mutationFn: () => {
    const body = { ...wish.value, digest: terms.value?.digest ?? "" };
    return insteadOf.value
      ? take(
          api.PUT("/offers/{offer}", {
            params: { path: { offer: insteadOf.value } },
            body: { ...body, version: former.data.value?.version ?? null },
          }),
        )
      : take(api.POST("/offers", { body }));
  },
  onSuccess: async (made) => {
    await queries.invalidateQueries({ queryKey: ["offers"] });
    await queries.invalidateQueries({ queryKey: ["requests"] });
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await router.push({ path: "/offers", query: { offer: made.ref } });
  },
});
function lookAgain(): void {
  send.reset();
  void check.refetch();
}
const handle = computed(() => form.to.trim() !== "" && form.to.indexOf("@") < 1);
</script>

<template>
  <section
    class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4"
    aria-label="Let someone in"
    tabindex="0"
  >
    <h1>{{ insteadOf ? "Change an offer" : "Let someone in" }}</h1>
    <p class="mt-[5px] text-mute">
      They accept by a link in a letter. Nothing is given before that, and nothing is sent before you press
      the button.
    </p>
    <p v-if="request.data.value" class="mt-3 max-w-xl border-l-2 border-act pl-3 text-plain">
      {{ request.data.value.name }} asks for
      {{ request.data.value.level || request.data.value.needs.join(", ") }} on {{ request.data.value.account
      }}<template v-if="request.data.value.ends_at">
        until {{ lastDay(request.data.value.ends_at, zone) }}</template
      >: “{{ request.data.value.reason }}”
    </p>
    <p v-if="secret.data.value" class="mt-3 max-w-xl border-l-2 border-act pl-3 text-plain">
      {{ secret.data.value.party.name }} knows {{ secret.data.value.level }} of
      {{ secret.data.value.account.name }}. Once they have access of their own, someone is asked to change it.
    </p>
    <div
      class="mt-5 grid max-w-[1080px] grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-x-12 gap-y-8 max-lg:grid-cols-1"
    >
      <form class="grid content-start gap-4" aria-label="Offer" @submit.prevent="send.mutate()">
        <div class="grid grid-cols-2 gap-3">
          <FormField label="To whom: an address, or a handle">
            <input
              v-model="form.to"
              class="field w-full"
              required
              maxlength="320"
              autocapitalize="none"
              autocomplete="off"
              spellcheck="false"
              name="to"
            />
          </FormField>
          <FormField
            v-if="form.request && (less || form.answer)"
            label="Why it is less than they asked for (they read this)"
          >
            <input
              v-model="form.answer"
              class="field w-full"
              maxlength="1000"
              autocomplete="off"
              name="answer"
            />
          </FormField>
          <FormField label="Their name (optional)">
            <input v-model="form.name" class="field w-full" maxlength="200" autocomplete="off" name="name" />
          </FormField>
        </div>
        <FormField v-if="handle" label="Where the letter goes, if no address of theirs is known">
          <input v-model="form.writeTo" class="field w-full" maxlength="320" autocapitalize="none" />
        </FormField>
        <OfferPartFields
          v-for="(_, place) in form.parts"
          :key="place"
          v-model="form.parts[place]!"
          :tasks="tasks.data.value?.items ?? []"
          :needs="needs"
          :given="terms?.parts[place]?.powers ?? []"
          :place="place"
          :alone="form.parts.length === 1"
          @remove="form.parts.splice(place, 1)"
        />
        <button
          type="button"
          class="link justify-self-start text-plain"
          @click="form.parts.push(emptyPart())"
        >
          And another account, in the same offer
        </button>
        <div class="grid grid-cols-2 gap-3">
          <FormField label="From (at once if empty)">
            <DateField v-model="form.starts" class="w-full" name="starts" />
          </FormField>
          <div>
            <FormField :label="`Last day, ${zone}`">
              <DateField v-model="form.until" class="w-full" :disabled="form.endless" name="until" />
            </FormField>
            <label class="mt-1 inline-flex items-center gap-2 text-plain">
              <input v-model="form.endless" type="checkbox" @change="form.until = ''" /> without an end, on
              purpose
            </label>
          </div>
        </div>
        <FormField label="What it is for (they read this, and it stays with the access)">
          <input v-model="form.basis" class="field w-full" maxlength="1000" autocomplete="off" name="basis" />
        </FormField>
        <label class="inline-flex items-center gap-2 text-plain">
          It can be accepted for
          <input
            v-model.number="form.lapseHours"
            type="number"
            min="1"
            max="2160"
            class="field w-[84px]"
            placeholder="168"
          />
          hours
        </label>
      </form>
      <div aria-live="polite">
        <h2>What you would offer</h2>
        <p v-if="!ready" class="mt-3 text-mute">
          Say to whom, which account, what for, and until when. The offer then appears here, word for word.
        </p>
        <ProblemNote v-else-if="check.error.value" :error="check.error.value" class="mt-3" />
        <p v-else-if="!terms" class="mt-3 text-mute" role="status">Working out what that means…</p>
        <template v-else>
          <OfferTerms :terms="terms" class="mt-3" :class="current ? '' : 'opacity-60'" />
          <label v-if="!stops" class="mt-5 flex items-start gap-2">
            <input v-model="understood" type="checkbox" class="mt-[5px]" />
            <span>I have read this and agree. My confirmation is kept with the offer.</span>
          </label>
          <ProblemNote v-if="send.error.value" :error="send.error.value" class="mt-4" @again="lookAgain" />
          <div class="mt-4 flex gap-[10px]">
            <button
              type="button"
              class="button button-act"
              :disabled="!understood || stops || !current || send.isPending.value"
              @click="send.mutate()"
            >
              {{ insteadOf ? "Replace the offer" : "Send the offer" }}
            </button>
            <RouterLink class="button" to="/offers">Cancel</RouterLink>
          </div>
        </template>
        <p class="mt-6 font-mono text-small break-words text-mute">{{ commandOf(form, insteadOf) }}</p>
      </div>
    </div>
  </section>
</template>
