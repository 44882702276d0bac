<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type Entry } from "@/api/client";
import { useSession } from "@/api/session";
import EntryPanel from "@/features/inventory/EntryPanel.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { useNow } from "@/ui/clock";
import { ago, dateField, exact, moment } from "@/ui/time";
import { usePages } from "@/ui/usePages";
import { useQueryParams } from "@/ui/useQueryParams";
import { several } from "@/ui/words";
import AskForm from "./AskForm.vue";
import { ability, origin } from "./ownAccess";
import { requestState } from "./states";

/** What whoever is signed in can do, on which account, until when and why; and what waits for their answer. */
const { zone } = useSession();
const now = useNow();
const { param, go } = useQueryParams();
const open = param("entry");
/** What is asked for: nothing, anything, or the short form of an access that is to be more or longer. */
const asks = param("ask");
const { items, error, isPending, hasMore, more } = usePages(
  () => ["entries", "mine"],
  (cursor) => take(api.GET("/entries", { params: { query: { mine: true, limit: 100, cursor } } })),
);
const entries = computed(() => items.value.filter((one) => one.kind !== "session" && one.kind !== "offer"));
const sessions = computed(() => items.value.filter((one) => one.kind === "session"));
const offers = useQuery({ queryKey: ["offers", "mine"], queryFn: () => take(api.GET("/me/offers")) });
const requests = useQuery({ queryKey: ["requests", "mine"], queryFn: () => take(api.GET("/me/requests")) });
const waiting = computed(() => offers.data.value?.items.filter((one) => one.state === "waiting") ?? []);
const asked = computed(() => requests.data.value?.items.slice(0, 5) ?? []);
const known = computed(() => !isPending.value && !offers.isPending.value);
const about = computed(() => entries.value.find((one) => one.ref === asks.value));
function used(entry: Entry): string {
  if (entry.last_used) return `Last used ${ago(entry.last_used, now.value)}.`;
  return entry.use_known ? "Never used." : "";
}
/** What an access is asked to become: as it is, for whoever asks to change. */
const beginning = computed(() =>
  about.value
    ? {
        account: about.value.account.ref,
        name: about.value.account.name,
        needs: about.value.powers,
        reason: about.value.basis,
        until: dateField(about.value.ends_at, zone.value, { end: true }),
      }
    : undefined,
);
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-10 max-sm:px-4" aria-label="My access" tabindex="0">
    <header class="flex flex-wrap items-end justify-between gap-x-6 gap-y-3">
      <div>
        <h1>My access</h1>
        <p class="mt-[5px] min-h-[1lh] text-mute">
          <template v-if="known && entries.length">
            You have access to
            {{ several(new Set(entries.map((one) => one.account.id)).size, "shared account") }}.
          </template>
        </p>
      </div>
      <button type="button" class="button" @click="go({ ask: 'yes', entry: '' })">Ask for access</button>
    </header>
    <ProblemNote v-if="error" :error="error" class="mt-6 max-w-xl" />
    <p v-else-if="!known" class="mt-6 text-mute" role="status">Loading…</p>
    <template v-else>
      <section v-if="waiting.length" class="mt-6 max-w-[720px]" aria-label="Waiting for your answer">
        <h2 class="text-title!">Waiting for your answer</h2>
        <article v-for="one in waiting" :key="one.id" class="mt-3 border-l-2 border-act pl-4">
          <p>
            <b class="font-[620]">{{ one.made_by }}</b> offers you access to
            {{ one.parts.map((part) => part.account.name).join(", ")
            }}<template v-if="one.basis"> for: {{ one.basis }}</template
            >.
          </p>
          <p class="small">You can accept it until {{ moment(one.lapses_at, zone) }}.</p>
          <RouterLink
            class="button button-act mt-2 inline-block"
            :to="{ path: '/offers', query: { whose: 'mine', offer: one.ref } }"
            >Read it and answer</RouterLink
          >
        </article>
      </section>
      <div v-if="!entries.length" class="mt-8 max-w-md">
        <p class="font-[620]">You have no access to any shared account.</p>
        <p class="text-mute">What you are offered appears here, and what you ask for once it is given.</p>
        <button type="button" class="button mt-3" @click="go({ ask: 'yes', entry: '' })">
          Ask for access
        </button>
      </div>
      <ul v-else class="mt-4 grid max-w-[1080px] grid-cols-2 gap-x-10 max-lg:grid-cols-1">
        <li v-for="entry in entries" :key="entry.id" class="border-t border-line py-4">
          <article :aria-label="entry.account.name">
            <div class="flex items-start justify-between gap-4">
              <h2 class="text-title! break-words">{{ entry.account.name }}</h2>
              <PowerMarks
                v-if="entry.kind !== 'secret'"
                :held="entry.powers"
                :used="entry.used_powers"
                :unknown="entry.unknown"
                class="mt-[6px] shrink-0"
              />
            </div>
            <p class="small">{{ entry.provider.name }} · {{ entry.level }}</p>
            <p class="mt-2">{{ ability(entry, zone) }}</p>
            <p class="text-mute">{{ origin(entry, zone) }} {{ used(entry) }}</p>
            <p v-if="entry.order" class="mt-1">An order about it is in progress.</p>
            <div class="mt-3 flex flex-wrap gap-x-5 gap-y-2">
              <button type="button" class="link py-1" @click="go({ entry: entry.ref, ask: '' })">
                {{ entry.kind === "secret" ? "Look at it" : "Look at it, or give it up" }}
              </button>
              <button
                v-if="entry.kind !== 'secret'"
                type="button"
                class="link py-1"
                @click="go({ ask: entry.ref, entry: '' })"
              >
                {{ entry.ends_at ? "Ask for longer, or for more" : "Ask for more" }}
              </button>
            </div>
          </article>
        </li>
      </ul>
      <button v-if="hasMore" type="button" class="button my-4" @click="more">More</button>
      <p v-if="sessions.length" class="mt-3 text-plain text-mute">
        You are signed in by {{ several(sessions.length, "session") }}.
        <button
          v-for="one in sessions"
          :key="one.id"
          type="button"
          class="link mr-3"
          @click="go({ entry: one.ref, ask: '' })"
        >
          {{ [one.account.name, one.device].filter(Boolean).join(", ") }}
        </button>
      </p>
      <section v-if="asked.length" class="mt-8 max-w-[720px]" aria-label="What you have asked for">
        <h2 class="text-title!">What you have asked for</h2>
        <p v-for="one in asked" :key="one.id" class="mt-2">
          <RouterLink
            class="link"
            :to="{ path: '/offers', query: { whose: 'mine', what: 'requests', request: one.ref } }"
            >{{ one.account }}</RouterLink>: {{ one.level || one.needs.join(", ") }}.
          <span class="text-mute" :title="exact(one.asked_at)"
            >Asked {{ ago(one.asked_at, now) }}, {{ requestState(one) }}.</span
          >
        </p>
      </section>
    </template>
    <EntryPanel v-if="open" :key="open" :entry-ref="open" @close="go({ entry: '' })" />
    <SidePanel v-else-if="asks" :key="asks" label="Ask for access" @close="go({ ask: '' })">
      <h2 class="mb-4 pr-6">{{ about ? `Ask for more on ${about.account.name}` : "Ask for access" }}</h2>
      <AskForm :begins="beginning" @done="go({ ask: '' })" />
    </SidePanel>
  </section>
</template>
