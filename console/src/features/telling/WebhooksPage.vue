<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { reactive, ref } from "vue";
import { api, take, type Webhook } from "@/api/client";
import { useSession } from "@/api/session";
import AreYouSure from "@/ui/AreYouSure.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import FormField from "@/ui/FormField.vue";

/** Other programs that are told what happens. */
const queries = useQueryClient();
const now = useNow();
const { zone, may } = useSession();
const mayAdd = may("webhooks.add");
const form = reactive({ url: "", acts: "", tokens: false, audience: "" });
const secret = ref("");
const bearer = ref(false);
const asked = ref("");
const found = useQuery({
  queryKey: ["webhooks"],
  queryFn: () => take(api.GET("/webhooks")),
  refetchInterval: 5000,
});
const changed = (): Promise<void> => queries.invalidateQueries({ queryKey: ["webhooks"] });
const add = useMutation({
  mutationFn: () =>
    take(
      api.POST("/webhooks", {
        body: {
          url: form.url,
          acts: form.acts.split(/[\s,]+/).filter(Boolean),
          form: form.tokens ? "security-events" : "news",
          audience: form.tokens ? form.audience : "",
        },
      }),
    ),
  onSuccess: async (made) => {
    secret.value = made.secret;
    bearer.value = made.form === "security-events";
    Object.assign(form, { url: "", acts: "", tokens: false, audience: "" });
    await changed();
  },
});
const act = useMutation({
  mutationFn: ({ one, what }: { one: Webhook; what: "pause" | "resume" | "remove" }) => {
    const params = { path: { webhook: one.ref } };
    if (what === "remove") return take(api.DELETE("/webhooks/{webhook}", { params })) as Promise<unknown>;
    return take(api.POST("/webhooks/{webhook}/pause", { params, body: { paused: what === "pause" } }));
  },
  onSuccess: async () => {
    asked.value = "";
    await changed();
  },
});
function toldOf(one: Webhook): string {
  return one.acts.join(", ") || (one.form === "security-events" ? "what ended" : "everything");
}
function state(one: Webhook): string {
  if (one.paused) return "paused";
  return one.attempts ? `does not answer; tried again ${moment(one.again_at, zone.value)}` : "on";
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="Webhooks" tabindex="0">
    <p class="small"><RouterLink class="link" to="/settings">Settings</RouterLink></p>
    <h1>Webhooks</h1>
    <p class="mt-[5px] max-w-2xl text-mute">
      What happens is sent to these addresses in the order of the log, as signed CloudEvents 1.0 (RFC 9421).
      Or only access that ended is sent, as Security Event Tokens (RFC 8417).
    </p>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="mt-6 max-w-xl" />
    <p v-else-if="found.isPending.value" class="mt-6 text-mute" role="status">Loading…</p>
    <p v-else-if="!found.data.value?.items.length" class="mt-6 text-mute">None yet.</p>
    <article
      v-for="one in found.data.value?.items"
      :key="one.id"
      class="mt-5 max-w-3xl border-t border-rule pt-4"
    >
      <div class="flex items-baseline justify-between gap-4">
        <b class="font-mono text-plain break-all">{{ one.url }}</b>
        <span v-if="mayAdd" class="flex gap-[10px]">
          <button
            type="button"
            class="button"
            @click="act.mutate({ one, what: one.paused ? 'resume' : 'pause' })"
          >
            {{ one.paused ? "Resume" : "Pause" }}
          </button>
          <button type="button" class="button" @click="asked = asked === one.id ? '' : one.id">
            Remove…
          </button>
        </span>
      </div>
      <AreYouSure
        v-if="asked === one.id"
        class="mt-3"
        does="Remove it"
        :busy="act.isPending.value"
        @yes="act.mutate({ one, what: 'remove' })"
        @no="asked = ''"
      >
        <p>Nothing more is sent there, not even what is still waiting. Adding it again makes a new secret.</p>
      </AreYouSure>
      <ProblemNote
        v-if="act.error.value && act.variables.value?.one.id === one.id"
        :error="act.error.value"
        class="mt-3 max-w-xl"
      />
      <dl class="mt-2 grid grid-cols-[120px_minmax(0,1fr)] gap-y-[6px]">
        <dt class="text-mute">State</dt>
        <dd :class="one.attempts || one.paused ? 'font-semibold text-high' : ''">
          {{ state(one) }}<span v-if="one.trouble" class="block font-normal">{{ one.trouble }}</span>
        </dd>
        <dt class="text-mute">Is sent</dt>
        <dd>
          {{ toldOf(one) }}
          <span v-if="one.keys_url" class="small block break-all">
            Security Event Tokens for {{ one.audience }}. Keys: {{ one.keys_url }}
          </span>
        </dd>
        <dt class="text-mute">Last sent</dt>
        <dd :title="exact(one.sent_at)">
          {{ one.sent_at ? ago(one.sent_at, now) : "never" }}; {{ one.waits }} waiting
        </dd>
        <dt class="text-mute">Added by</dt>
        <dd>{{ one.made_by }}</dd>
      </dl>
    </article>
    <p v-if="secret" class="mt-6 max-w-2xl border-l-2 border-act pl-3">
      {{
        bearer
          ? "Events are sent there with this secret as a bearer token. It is shown only now:"
          : "What is sent there is signed with this secret. It is shown only now:"
      }}
      <code class="mt-1 block font-mono text-plain break-all">{{ secret }}</code>
    </p>
    <form
      v-if="mayAdd"
      class="mt-6 grid max-w-2xl gap-3 border-t border-rule pt-4"
      @submit.prevent="add.mutate()"
    >
      <h2>Add a webhook</h2>
      <FormField label="Address">
        <input
          v-model="form.url"
          class="field w-full"
          required
          maxlength="2000"
          placeholder="https://desk.example/latch"
        />
      </FormField>
      <FormField label="Only acts that begin with (all if empty)">
        <input
          v-model="form.acts"
          class="field w-full"
          maxlength="1000"
          placeholder="offer, request, order.stuck"
        />
      </FormField>
      <label class="flex items-baseline gap-2">
        <input v-model="form.tokens" type="checkbox" />
        <span>Send only access that ended, as Security Event Tokens</span>
      </label>
      <FormField v-if="form.tokens" label="Audience" hint="Leave it empty to use the server of the address.">
        <input v-model="form.audience" class="field w-full" maxlength="1000" />
      </FormField>
      <ProblemNote v-if="add.error.value" :error="add.error.value" />
      <button type="submit" class="button justify-self-start" :disabled="add.isPending.value">Add it</button>
    </form>
    <p class="mt-6 font-mono text-small text-mute">openlatch webhook list</p>
  </section>
</template>
