<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { ago, exact } from "@/ui/time";
import { useNow } from "@/ui/clock";
import ProblemNote from "@/ui/ProblemNote.vue";
import { several } from "@/ui/words";

/** Whether all of the service runs, for whoever answers for it. */
const { me } = useSession();
const now = useNow(5000);
const state = useQuery({
  queryKey: ["service"],
  queryFn: () => take(api.GET("/service")),
  refetchInterval: 5000,
});

interface Fact {
  name: string;
  says: string;
  since?: string | null;
  more?: string;
}
const facts = computed<Fact[]>(() => {
  const there = state.data.value;
  if (!there) return [];
  return [
    {
      name: "Workers",
      says: there.workers ? `${there.workers} at work` : "none at work",
      since: there.last_sign,
      more: "the last sign of one",
    },
    {
      name: "Jobs",
      says: there.waiting ? `${several(there.waiting, "job")} could begin` : "none waits",
      since: there.waiting_since,
      more: "the oldest has waited since",
    },
    {
      name: "Failed jobs",
      says: there.failed ? `${there.failed} within the last day` : "none within the last day",
    },
    {
      name: "Log",
      says: there.unsealed ? `${several(there.unsealed, "event")} to be sealed` : "all events are sealed",
      since: there.unsealed_since,
      more: "the oldest is of",
    },
    {
      name: "Readings",
      says: there.behind.length ? `overdue: ${there.behind.join(", ")}` : "none is overdue",
      since: there.last_reading,
      more: "the last one ended",
    },
    {
      name: "Letters",
      says: !there.sends_letters
        ? "no mail server is set"
        : there.letters
          ? `${several(there.letters, "letter")} could not be sent: ${there.mail_trouble}`
          : "none is kept back",
    },
    { name: "Key of secrets", says: "made", since: there.key_made_at },
    {
      name: "Database",
      says: `${Math.round(there.database_bytes / 2 ** 20).toLocaleString("en")} MB, with all workspaces`,
    },
    { name: "Version", says: there.version },
  ];
});
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="Service" tabindex="0">
    <h1>Service</h1>
    <p class="mt-[5px] max-w-2xl text-mute">
      What keeps {{ me?.workspace.name ?? "this workspace" }} up to date, and whether all of it runs.
    </p>
    <ProblemNote v-if="state.error.value" :error="state.error.value" />
    <template v-else-if="state.data.value">
      <ul v-if="state.data.value.troubles.length" class="mt-5 max-w-3xl" aria-label="To be seen to">
        <li
          v-for="one in state.data.value.troubles"
          :key="one.says"
          class="border-l-3 border-act py-2 pl-4 not-first:mt-2"
        >
          <b class="font-[620]">{{ one.says }}</b>
          <span class="block text-plain text-mute">{{ one.next }}</span>
        </li>
      </ul>
      <p v-else class="mt-5 max-w-3xl">Everything runs.</p>
      <dl class="mt-6 max-w-3xl border-t border-line">
        <div
          v-for="fact in facts"
          :key="fact.name"
          class="grid grid-cols-[150px_minmax(0,1fr)] gap-x-4 border-b border-line py-[7px]"
        >
          <dt class="text-mute">{{ fact.name }}</dt>
          <dd>
            {{ fact.says
            }}<template v-if="fact.since"
              >{{ fact.more ? `; ${fact.more} ` : " "
              }}<span :title="exact(fact.since)">{{ ago(fact.since, now) }}</span></template
            >
          </dd>
        </div>
      </dl>
    </template>
  </section>
</template>
