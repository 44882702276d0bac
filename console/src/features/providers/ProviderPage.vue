<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import KeepEntry from "./KeepEntry.vue";
import ProviderForm from "./ProviderForm.vue";
import ProviderLevels from "./ProviderLevels.vue";
import RemoveProvider from "./RemoveProvider.vue";
import ProviderVersions from "./ProviderVersions.vue";
import ReportBreach from "./ReportBreach.vue";
import SecurityEvents from "./SecurityEvents.vue";
import { useNow } from "@/ui/clock";
import { ago, exact, moment } from "@/ui/time";
import { abilities, besides, busy, counts, latest } from "./provider";
import { useProviders } from "./useProviders";
import { api, take, type Provider } from "@/api/client";

const session = useSession();
const mayRead = session.may("readings.start");
const mayKeep = session.may("hand.keep");
const mayImport = session.may("imports.start");
const mayReportBreach = session.may("providers.report_breach");
const maySeeLevels = session.may("levels.browse");
const mayChange = session.may("providers.change");
const maySeeEvents = session.may("security_events.browse");
const maySeeVersions = session.may("providers.versions");
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
const route = useRoute();
const router = useRouter();
const one = computed(() => providers.value.find((each) => each.ref === route.params.provider));
const opened = ref(String(route.query.do ?? ""));
function toggle(what: string): void {
  opened.value = opened.value === what ? "" : what;
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5" aria-label="Provider" tabindex="0">
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl" />
    <p v-else-if="isPending" class="mt-8 text-mute" role="status">Loading…</p>
    <article v-else-if="one" class="max-w-3xl pb-8">
      <div class="flex items-baseline justify-between gap-4">
        <div>
          <p class="small"><RouterLink class="link" to="/providers">Providers</RouterLink> · {{ one.ref }}</p>
          <h1 class="mt-1">{{ one.name }}</h1>
        </div>
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
      <dl class="mt-5 grid grid-cols-[170px_minmax(0,1fr)] gap-y-[6px]">
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
          <template v-if="one.says_who">
            <dt class="text-mute">Who people are</dt>
            <dd>Its names, addresses, status and sponsors count before those of all other providers.</dd>
          </template>
          <dt class="text-mute">Connector</dt>
          <dd>
            {{ one.connector }}
            <span class="font-mono text-small text-mute">{{
              Object.entries(one.settings)
                .filter(([, value]) => !value.includes("\n"))
                .map(([key, value]) => `${key}=${value}`)
                .join(" ")
            }}</span>
          </dd>
        </template>
      </dl>
      <div class="mt-6 flex flex-wrap gap-x-4 gap-y-2 border-t border-rule pt-4 text-plain">
        <button
          v-if="maySeeLevels"
          type="button"
          class="link"
          :aria-expanded="opened === 'levels'"
          @click="toggle('levels')"
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
          :aria-expanded="opened === 'keep'"
          @click="toggle('keep')"
        >
          Record an entry by hand
        </button>
        <button
          v-if="mayReportBreach"
          type="button"
          class="link"
          :aria-expanded="opened === 'breach'"
          @click="toggle('breach')"
        >
          Record a breach…
        </button>
        <button
          v-if="maySeeEvents && !one.by_hand"
          type="button"
          class="link"
          :aria-expanded="opened === 'events'"
          @click="toggle('events')"
        >
          Security events…
        </button>
        <RouterLink class="link" :to="{ path: '/inventory', query: { provider: one.ref } }"
          >Its entries</RouterLink
        >
        <button
          v-if="mayChange"
          type="button"
          class="link"
          :aria-expanded="opened === 'change'"
          @click="toggle('change')"
        >
          Change…
        </button>
        <button
          v-if="maySeeVersions && !one.by_hand"
          type="button"
          class="link"
          :aria-expanded="opened === 'versions'"
          @click="toggle('versions')"
        >
          Versions…
        </button>
        <RouterLink
          v-if="mayChange && one.connector === 'described'"
          class="link"
          :to="{ path: '/providers/describe', query: { provider: one.ref } }"
          >Its description</RouterLink
        >
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
          :aria-expanded="opened === 'remove'"
          @click="toggle('remove')"
        >
          Remove…
        </button>
      </div>
      <ProblemNote v-if="pause.error.value" :error="pause.error.value" class="mt-3 max-w-xl" />
      <ProviderForm v-if="opened === 'change'" :provider="one" @done="toggle('change')" />
      <ProviderVersions v-if="opened === 'versions'" :provider="one" @done="opened = ''" />
      <SecurityEvents v-if="opened === 'events'" :provider="one" />
      <RemoveProvider
        v-if="opened === 'remove'"
        :provider="one"
        @done="opened = ''"
        @removed="router.push('/providers')"
      />
      <ProviderLevels v-if="opened === 'levels'" :provider="one.id" class="mt-4" />
      <ReportBreach v-if="opened === 'breach'" :provider="one" class="mt-4" @done="toggle('breach')" />
      <KeepEntry v-if="opened === 'keep'" :provider="one.id" class="mt-4" />
    </article>
    <div v-else class="mt-10 max-w-md">
      <h1>Provider</h1>
      <p class="mt-3 text-mute">There is no provider here under this address; it may have been removed.</p>
      <RouterLink class="button mt-3 inline-block" to="/providers">All providers</RouterLink>
    </div>
  </section>
</template>
