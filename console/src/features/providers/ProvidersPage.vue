<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRoute } from "vue-router";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import KeepEntry from "./KeepEntry.vue";
import ProviderForm from "./ProviderForm.vue";
import ProviderLevels from "./ProviderLevels.vue";
import RemoveProvider from "./RemoveProvider.vue";
import ReportBreach from "./ReportBreach.vue";
import SecurityEvents from "./SecurityEvents.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import { useProviders } from "./useProviders";
import { api, take, type Provider } from "@/api/client";

const session = useSession();
const mayRead = session.may("readings.start");
const mayKeep = session.may("hand.keep");
const mayImport = session.may("imports.start");
const mayReportBreach = session.may("providers.report_breach");
const mayAdd = session.may("providers.add");
const maySeeLevels = session.may("levels.browse");
const mayChange = session.may("providers.change");
const maySeeEvents = session.may("security_events.browse");
const mayRemove = session.may("providers.remove");
const { providers, error, isPending, read } = useProviders();
const queries = useQueryClient();
const pause = useMutation({
  mutationFn: (one: Provider) => {
    const params = { path: { provider: one.id } };
    return one.paused
      ? take(api.POST("/providers/{provider}/resume", { params }))
      : take(api.POST("/providers/{provider}/pause", { params }));
  },
  onSuccess: () => queries.invalidateQueries({ queryKey: ["providers"] }),
});
const now = useNow();

const WORDS: Record<string, string> = {
  queued: "will be read now",
  running: "is being read",
  complete: "complete",
  partial: "broke off; nothing was taken as gone",
  failed: "failed; the inventory stays as it was",
};
function busy(one: Provider): boolean {
  return one.latest?.state === "queued" || one.latest?.state === "running";
}
function latest(one: Provider): string {
  const { state = "queued", seen = 0, total, withheld } = one.latest ?? {};
  const words = withheld ? "not believed; nothing was taken as gone" : WORDS[state];
  return (words ?? state) + (seen ? `: ${seen}${total && total !== seen ? ` of ${total}` : ""} entries` : "");
}
const opened = ref(useRoute().query.add ? "add" : "");
function toggle(what: string): void {
  opened.value = opened.value === what ? "" : what;
}
const AGAIN = { holder: "you", party: "only the other side", either: "either side" };
function abilities({ abilities: can }: Provider): string {
  const unended = can.lists.filter((kind) => !can.ends.includes(kind));
  const ends = can.ends.length ? can.ends.join(", ") : "nothing from here";
  return [
    `Shows ${can.lists.join(", ") || "nothing yet"}; ends ${ends}`,
    unended.length ? `, not ${unended.join(", ")}` : "",
    can.ends_teams ? "" : ", no team's access",
    can.at_once ? ", at once" : ", when their device next connects",
    can.consent ? `; may ask ${can.consent}` : "",
    `; ${AGAIN[can.redone_by]} can give it again.`,
  ].join("");
}
/** What the provider can do besides, which has to be done there. */
function besides({ abilities: can }: Provider): string {
  return [
    can.narrows.length ? `narrow ${can.narrows.join(", ")}` : "",
    can.pauses.length ? `pause ${can.pauses.join(", ")}` : "",
    can.dates.length ? `set an end for ${can.dates.join(", ")}` : "",
    can.gives.length ? `give ${can.gives.join(", ")}` : "",
  ]
    .filter(Boolean)
    .join("; ");
}
function counts(one: Provider): string {
  const found = Object.entries(one.latest?.counts ?? {}).filter(([, number]) => number > 0);
  return found.map(([word, number]) => `${number} ${word}`).join(", ");
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5" aria-label="Providers" tabindex="0">
    <header class="flex max-w-3xl flex-wrap items-end justify-between gap-4">
      <div>
        <h1>Providers</h1>
        <p class="mt-[5px] text-mute">
          The outside services on which your accounts live, and how fresh what is known of each is.
        </p>
      </div>
      <span class="flex items-center gap-4">
        <button v-if="mayAdd && opened !== 'add'" type="button" class="button" @click="toggle('add')">
          Add a provider
        </button>
      </span>
    </header>
    <ProviderForm v-if="opened === 'add'" @done="toggle('add')" />
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl" />
    <p v-else-if="isPending" class="mt-8 text-mute" role="status">Loading…</p>
    <div v-else-if="!providers.length" class="mt-10 max-w-md">
      <p class="font-[620]">No provider yet.</p>
      <p class="text-mute">
        The inventory fills once the first one has been read, or a list has been imported.
      </p>
    </div>
    <article v-for="one in providers" :key="one.id" class="mt-6 max-w-3xl border-t border-rule pt-4">
      <div class="flex items-baseline justify-between gap-4">
        <h2>{{ one.name }}</h2>
        <button
          v-if="mayRead && !one.by_hand"
          type="button"
          class="button"
          :disabled="busy(one) || read.isPending.value"
          @click="read.mutate({ wanted: [one] })"
        >
          {{ busy(one) ? "Reading…" : "Read again" }}
        </button>
      </div>
      <dl class="mt-2 grid grid-cols-[170px_minmax(0,1fr)] gap-y-[6px]">
        <template v-if="one.by_hand">
          <dt class="text-mute">Recorded by hand</dt>
          <dd>
            No reading can see what is there; someone vouches for each entry, for {{ one.vouch_days }} days at
            a time.
            <b v-if="one.worn_off" class="font-semibold text-high">
              {{ one.worn_off }} {{ one.worn_off === 1 ? "entry has" : "entries have" }} not been vouched for
              recently.
            </b>
          </dd>
        </template>
        <template v-else>
          <dt class="text-mute">Last complete reading</dt>
          <dd :class="one.stale ? 'font-semibold text-high' : ''" :title="exact(one.last_complete)">
            {{ one.last_complete ? ago(one.last_complete, now) : "never" }}
            <b v-if="one.paused" class="font-semibold">· reading it is paused</b>
            <template v-else-if="one.stale">— too old: more than {{ one.stale_after }} minutes</template>
          </dd>
          <dt class="text-mute">Latest reading</dt>
          <dd>
            <template v-if="one.latest">
              {{ latest(one) }}
              <span v-if="counts(one)" class="text-mute"> ({{ counts(one) }})</span>
              <span v-if="one.latest.trouble" class="block text-high">{{ one.latest.trouble }}</span>
              <ul v-if="one.latest.remarks.length" class="small mt-1" aria-label="What could not be read">
                <li v-for="remark in one.latest.remarks.slice(0, 5)" :key="remark">{{ remark }}</li>
                <li v-if="one.latest.remarks.length > 5">and {{ one.latest.remarks.length - 5 }} more</li>
              </ul>
              <button
                v-if="one.latest.withheld && mayRead"
                type="button"
                class="button mt-2"
                :disabled="read.isPending.value"
                @click="read.mutate({ wanted: [one], acceptLoss: true })"
              >
                They are gone: read again and end {{ one.latest.withheld }} entries
              </button>
            </template>
            <template v-else>not read yet</template>
          </dd>
          <template v-if="opened === `details ${one.id}`">
            <dt class="text-mute">Readings</dt>
            <dd>
              <b v-if="one.paused" class="font-semibold">paused</b>
              <template v-else
                >every {{ one.read_every }} minutes, next on
                {{ moment(one.next_reading, session.zone.value) }}</template
              >; asks you if more than {{ one.most_gone }}% of the entries are gone at once
            </dd>
            <dt class="text-mute">Lists and ends</dt>
            <dd>{{ abilities(one) }}</dd>
            <template v-if="besides(one)">
              <dt class="text-mute">It can also</dt>
              <dd>{{ besides(one) }}.</dd>
            </template>
            <dt class="text-mute">Connector</dt>
            <dd>
              {{ one.connector }}
              <span class="font-mono text-small text-mute">{{
                Object.entries(one.settings)
                  .map(([key, value]) => `${key}=${value}`)
                  .join(" ")
              }}</span>
            </dd>
          </template>
        </template>
      </dl>
      <div class="mt-2 flex flex-wrap gap-x-4 gap-y-2 text-plain">
        <button
          v-if="!one.by_hand"
          type="button"
          class="link"
          :aria-expanded="opened === `details ${one.id}`"
          @click="toggle(`details ${one.id}`)"
        >
          How it is read
        </button>
        <button
          v-if="maySeeLevels"
          type="button"
          class="link"
          :aria-expanded="opened === `levels ${one.id}`"
          @click="toggle(`levels ${one.id}`)"
        >
          What its levels mean
        </button>
        <RouterLink v-if="mayImport" class="link" :to="`/providers/${one.ref}/import`"
          >Import a list</RouterLink
        >
        <button
          v-if="mayKeep"
          type="button"
          class="link"
          :aria-expanded="opened === `keep ${one.id}`"
          @click="toggle(`keep ${one.id}`)"
        >
          Record an entry by hand
        </button>
        <button
          v-if="mayReportBreach"
          type="button"
          class="link"
          :aria-expanded="opened === `breach ${one.id}`"
          @click="toggle(`breach ${one.id}`)"
        >
          Record a breach…
        </button>
        <button
          v-if="maySeeEvents && !one.by_hand"
          type="button"
          class="link"
          :aria-expanded="opened === `events ${one.id}`"
          @click="toggle(`events ${one.id}`)"
        >
          Security events…
        </button>
        <RouterLink class="link" :to="{ path: '/inventory', query: { provider: one.name } }"
          >Its entries</RouterLink
        >
        <button
          v-if="mayChange"
          type="button"
          class="link"
          :aria-expanded="opened === `change ${one.id}`"
          @click="toggle(`change ${one.id}`)"
        >
          Change…
        </button>
        <button
          v-if="mayChange && !one.by_hand"
          type="button"
          class="link"
          :disabled="pause.isPending.value"
          @click="pause.mutate(one)"
        >
          {{ one.paused ? "Resume reading" : "Pause reading" }}
        </button>
        <button
          v-if="mayRemove"
          type="button"
          class="link"
          :aria-expanded="opened === `remove ${one.id}`"
          @click="toggle(`remove ${one.id}`)"
        >
          Remove…
        </button>
      </div>
      <ProblemNote
        v-if="pause.error.value && pause.variables.value?.id === one.id"
        :error="pause.error.value"
        class="mt-3 max-w-xl"
      />
      <ProviderForm v-if="opened === `change ${one.id}`" :provider="one" @done="toggle(`change ${one.id}`)" />
      <SecurityEvents v-if="opened === `events ${one.id}`" :provider="one" />
      <RemoveProvider v-if="opened === `remove ${one.id}`" :provider="one" @done="opened = ''" />
      <ProviderLevels v-if="opened === `levels ${one.id}`" :provider="one.id" class="mt-4" />
      <ReportBreach
        v-if="opened === `breach ${one.id}`"
        :provider="one"
        class="mt-4"
        @done="toggle(`breach ${one.id}`)"
      />
      <KeepEntry v-if="opened === `keep ${one.id}`" :provider="one.id" class="mt-4" />
    </article>
  </section>
</template>
