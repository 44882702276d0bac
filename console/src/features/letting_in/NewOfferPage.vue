<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useSession } from "@/api/session";
import AddressField from "@/features/inventory/AddressField.vue";
import DateField from "@/ui/DateField.vue";
import FormField from "@/ui/FormField.vue";
import FormStep from "@/ui/FormStep.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { lastDay, plainDay } from "@/ui/time";
import OfferEffect from "./OfferEffect.vue";
import OfferTerms from "./OfferTerms.vue";
import PartLimits from "./PartLimits.vue";
import PartPurpose from "./PartPurpose.vue";
import { useOffer } from "./useOffer";
import { chosen, commandOf, emptyPart, type PartForm } from "./wish";

/** Letting someone in, one decision after the other; and what exactly that would be, before it is sent. */
const { zone } = useSession();
const {
  form,
  insteadOf,
  tasks,
  tasksError,
  request,
  secret,
  begun,
  needs,
  accountName,
  wish,
  ready,
  check,
  terms,
  current,
  send,
} = useOffer();
const stops = computed(() => terms.value?.remarks.some((one) => one.stops) ?? false);
const less = computed(() => terms.value?.remarks.some((one) => one.kind === "less") ?? false);
const understood = ref(false);
watch(
  () => terms.value?.digest,
  () => (understood.value = false),
);
const handle = computed(() => form.to.trim() !== "" && form.to.indexOf("@") < 1);
const alone = computed(() => form.parts.length === 1);

/** What a part is for, in words. */
function purpose(part: PartForm): string {
  if (part.by === "permissions") return part.permissions.join(" + ");
  if (part.by === "level") return `“${part.level}”`;
  if (part.task === "asked") return needs.value.join(", ");
  return tasks.value.find((one) => one.id === part.task)?.title ?? part.task;
}
const limits = computed(() => {
  const from = form.starts ? `from ${plainDay(form.starts)}` : "once accepted";
  const until = form.endless ? "without an end" : `until ${plainDay(form.until)}`;
  const hours = form.parts.map((part) => part.hours).filter(Boolean);
  return [from, until, ...new Set(hours)].join(", ");
});
const STEPS = ["who", "what", "when", "why", "send"] as const;
type Step = (typeof STEPS)[number];
const given = computed<Record<Step, boolean>>(() => ({
  who: form.to.trim() !== "",
  what: form.parts.every((part) => part.account !== "" && chosen(part)),
  when: form.until !== "" || form.endless,
  why: true,
  send: true,
}));
const decided = computed<Record<Step, string>>(() => ({
  who: given.value.who ? [form.name, form.to].filter(Boolean).join(" · ") : "",
  what: given.value.what
    ? form.parts.map((part) => `${accountName(part.account)}: ${purpose(part)}`).join("; ")
    : "",
  when: given.value.when ? limits.value : "",
  why: form.basis,
  send: "",
}));
const unfinished = (): Step => STEPS.find((step) => !given.value[step]) ?? "send";
const at = ref<Step>(unfinished());
/** Whether anybody has typed or gone on: from then on they are where they are, however late something arrives. */
const acted = ref(false);
// What a request, a secret or a former offer brings along need not be gone through.
watch(begun, () => acted.value || (at.value = unfinished()), { flush: "post" });
const reachable = (step: Step): boolean =>
  STEPS.slice(0, STEPS.indexOf(step)).every((before) => given.value[before]);
function next(): void {
  acted.value = true;
  at.value = STEPS[STEPS.indexOf(at.value) + 1] ?? "send";
}
function lookAgain(): void {
  send.reset();
  void check.refetch();
}
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
    <p v-if="request" class="mt-3 max-w-xl border-l-2 border-act pl-3 text-plain">
      {{ request.name }} asks for {{ request.level || request.needs.join(", ") }} on {{ request.account
      }}<template v-if="request.ends_at"> until {{ lastDay(request.ends_at, zone) }}</template
      >: “{{ request.reason }}”
    </p>
    <p v-if="secret" class="mt-3 max-w-xl border-l-2 border-act pl-3 text-plain">
      {{ secret.party.name }} knows {{ secret.level }} of {{ secret.account.name }}. Once they have access of
      their own, someone is asked to change it.
    </p>
    <ProblemNote v-if="tasksError" :error="tasksError" class="mt-4 max-w-xl" />
    <form class="mt-5 max-w-[900px]" aria-label="Offer" @input="acted = true" @submit.prevent="next">
      <FormStep
        :number="1"
        title="Who"
        :open="at === 'who'"
        :decided="decided.who"
        reachable
        @open="at = 'who'"
      >
        <div class="grid max-w-[560px] gap-4">
          <AddressField
            v-model="form.to"
            label="To whom: an address, or a handle"
            placeholder="an address, or a part of a name that is known"
            required
            name="to"
            @known="form.name ||= $event"
          />
          <FormField v-if="handle" label="Where the letter goes, if no address of theirs is known">
            <input v-model="form.writeTo" class="field w-full" maxlength="320" autocapitalize="none" />
          </FormField>
          <FormField label="Their name (optional)">
            <input v-model="form.name" class="field w-full" maxlength="200" autocomplete="off" name="name" />
          </FormField>
          <button type="submit" class="button justify-self-start">Next: what they need</button>
        </div>
      </FormStep>
      <FormStep
        :number="2"
        title="What they need"
        :open="at === 'what'"
        :decided="decided.what"
        :reachable="reachable('what')"
        @open="at = 'what'"
      >
        <div class="grid max-w-[640px] gap-4">
          <PartPurpose
            v-for="(_, place) in form.parts"
            :key="place"
            v-model="form.parts[place]!"
            :tasks="tasks"
            :needs="needs"
            :place="place"
            :alone="alone"
            @remove="form.parts.splice(place, 1)"
          />
          <button
            type="button"
            class="link justify-self-start text-plain"
            @click="form.parts.push(emptyPart())"
          >
            And another account, in the same offer
          </button>
          <button type="submit" class="button justify-self-start" :disabled="!given.what">
            Next: how long
          </button>
        </div>
      </FormStep>
      <FormStep
        :number="3"
        title="How long"
        :open="at === 'when'"
        :decided="decided.when"
        :reachable="reachable('when')"
        @open="at = 'when'"
      >
        <div class="grid max-w-[640px] gap-4">
          <div class="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
            <div>
              <FormField :label="`Last day, ${zone}`">
                <DateField
                  v-model="form.until"
                  class="w-full"
                  :required="!form.endless"
                  :disabled="form.endless"
                  name="until"
                />
              </FormField>
              <label class="mt-1 inline-flex items-center gap-2 text-plain">
                <input v-model="form.endless" type="checkbox" @change="form.until = ''" /> without an end, on
                purpose
              </label>
            </div>
            <FormField label="From (once accepted, if empty)">
              <DateField v-model="form.starts" class="w-full" name="starts" />
            </FormField>
          </div>
          <PartLimits
            v-for="(_, place) in form.parts"
            :key="place"
            v-model="form.parts[place]!"
            :account="accountName(form.parts[place]!.account)"
            :given="terms?.parts[place]?.powers ?? []"
            :alone="alone"
          />
          <button type="submit" class="button justify-self-start" :disabled="!given.when">Next: why</button>
        </div>
      </FormStep>
      <FormStep
        :number="4"
        title="Why"
        :open="at === 'why'"
        :decided="decided.why"
        :reachable="reachable('why')"
        @open="at = 'why'"
      >
        <div class="grid max-w-[560px] gap-4">
          <FormField label="What it is for (they read this, and it stays with the access)">
            <input
              v-model="form.basis"
              class="field w-full"
              maxlength="1000"
              autocomplete="off"
              name="basis"
            />
          </FormField>
          <button type="submit" class="button justify-self-start">Next: read it, and send it</button>
        </div>
      </FormStep>
      <FormStep
        :number="5"
        title="What you would offer"
        :open="at === 'send'"
        decided=""
        word="Read it"
        :reachable="ready"
        @open="at = 'send'"
      >
        <div aria-live="polite">
          <p v-if="!ready" class="text-mute">
            Say to whom, which account, what for, and until when. The offer then appears here, word for word.
          </p>
          <ProblemNote v-else-if="check.error.value" :error="check.error.value" />
          <p v-else-if="!terms" class="text-mute" role="status">Working out what that means…</p>
          <template v-else>
            <div class="grid grid-cols-2 gap-x-10 gap-y-5 max-md:grid-cols-1">
              <OfferTerms :terms="terms" :class="current ? '' : 'opacity-60'" />
              <OfferEffect v-if="!stops && current" :wish="wish" />
            </div>
            <div class="mt-4 flex flex-wrap items-end gap-x-8 gap-y-3">
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
              <FormField
                v-if="form.request && (less || form.answer)"
                class="min-w-[280px] flex-1"
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
            </div>
            <label v-if="!stops" class="mt-4 flex items-start gap-2">
              <input v-model="understood" type="checkbox" class="mt-[5px]" />
              <span>I have read this and agree. My confirmation is kept with the offer.</span>
            </label>
            <ProblemNote v-if="send.error.value" :error="send.error.value" class="mt-4" @again="lookAgain" />
          </template>
          <div class="mt-4 flex gap-[10px]">
            <button
              v-if="terms"
              type="button"
              class="button button-act"
              :disabled="!understood || stops || !current || send.isPending.value"
              @click="send.mutate()"
            >
              {{ insteadOf ? "Replace the offer" : "Send the offer" }}
            </button>
            <RouterLink class="button" to="/offers">Cancel</RouterLink>
          </div>
        </div>
      </FormStep>
    </form>
    <p class="mt-4 max-w-[900px] font-mono text-small break-words text-mute">
      {{ commandOf(form, insteadOf) }}
    </p>
  </section>
</template>
