<script setup lang="ts">
import { useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take, type Event } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { exact, moment } from "@/ui/time";
import { told } from "./told";

const { zone } = useSession();
const head = useQuery({
  queryKey: ["log", "head"],
  queryFn: () => take(api.GET("/log/head")),
  refetchInterval: 5000,
});
const pages = useInfiniteQuery({
  queryKey: computed(() => ["log", "list", head.data.value?.size ?? 0]),
  queryFn: ({ pageParam }) => take(api.GET("/log", { params: { query: { limit: 100, cursor: pageParam } } })),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  placeholderData: (former) => former,
});
const { error, isPending, hasNextPage } = pages;
const events = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);

function entryAddress(entry: string) {
  return { path: "/inventory", query: { state: "offered,live,paused,ending,ended", entry } };
}
function text(event: Event, name: string): string {
  return String(event.content[name] ?? "");
}
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Log">
    <header class="pr-6">
      <h1>Log</h1>
      <p class="mt-[5px] min-h-5 text-mute">
        <template v-if="head.data.value">
          {{ head.data.value.size.toLocaleString("en") }} events, each sealed onto the one before.
          <template v-if="head.data.value.unsealed"
            >{{ head.data.value.unsealed }} more within seconds.</template
          >
          Last link
          <code class="font-mono text-[12.5px]" :title="head.data.value.link"
            >{{ head.data.value.link.slice(0, 16) }}…</code
          >
        </template>
      </p>
      <p class="small">
        Whoever keeps that link can check later that nothing before it was altered:
        <code class="font-mono">openlatch log verify</code>
      </p>
    </header>
    <ProblemNote v-if="error" :error="error" class="mt-8 max-w-xl" />
    <p v-else-if="isPending" class="mt-8 text-mute" role="status">Reading the log…</p>
    <div v-else class="mt-4 min-h-0 flex-1 overflow-auto pr-6" tabindex="0" role="region" aria-label="Events">
      <table class="w-full min-w-[720px] border-collapse text-left">
        <thead class="text-[12.5px] text-mute">
          <tr class="border-b border-rule">
            <th class="head w-[70px]">Number</th>
            <th class="head w-[150px]">When</th>
            <th class="head w-[140px]">Who</th>
            <th class="head">What</th>
            <th class="head w-[130px]">Link</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="event in events" :key="event.id" class="border-b border-line">
            <td class="cell text-mute tabular-nums">{{ event.number ?? "…" }}</td>
            <td class="cell whitespace-nowrap" :title="exact(text(event, 'at'))">
              {{ moment(text(event, "at"), zone) }}
            </td>
            <td class="cell">{{ text(event, "actor") }}</td>
            <td class="cell">
              <span class="font-[620]">{{ told(event).what }}</span>
              <RouterLink v-if="event.about" class="link ml-2" :to="entryAddress(event.about.ref)">{{
                event.about.name
              }}</RouterLink>
              <span class="small block break-words">{{ told(event).detail }}</span>
            </td>
            <td class="cell font-mono text-[12px] text-mute" :title="event.link ?? ''">
              {{ event.link ? `${event.link.slice(0, 12)}…` : "not sealed yet" }}
            </td>
          </tr>
        </tbody>
      </table>
      <button v-if="hasNextPage" type="button" class="button my-4" @click="pages.fetchNextPage()">
        Earlier events
      </button>
    </div>
  </section>
</template>
