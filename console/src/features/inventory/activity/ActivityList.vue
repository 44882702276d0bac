<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Activity } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import ProblemNote from "@/ui/ProblemNote.vue";
import { ago, exact, moment } from "@/ui/time";

/** What was done on an account, or by a party and on its behalf: told apart by who acted, and in whose name. */
const props = defineProps<{ account?: string; party?: string }>();
const { zone } = useSession();
const now = useNow();
const how = ref<Activity["how"]>();
const WAYS = [
  ["own", "the holder's own people"],
  ["delegate", "on somebody's behalf"],
  ["app", "apps"],
] as const;

const pages = useInfiniteQuery({
  queryKey: computed(() => ["activity", props.account, props.party, how.value]),
  queryFn: ({ pageParam }) =>
    take(
      api.GET("/activity", {
        params: {
          query: { account: props.account, party: props.party, how: how.value, limit: 50, cursor: pageParam },
        },
      }),
    ),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  placeholderData: (former) => former,
});
const { error, isPending, hasNextPage } = pages;
const done = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
const counts = computed(() => pages.data.value?.pages[0]?.counts ?? { own: 0, delegate: 0, app: 0 });
const all = computed(() => counts.value.own + counts.value.delegate + counts.value.app);

function behalf(one: Activity): string {
  if (one.behalf_of) return one.behalf_of.name;
  return one.how === "own" ? "their own" : "the holder's";
}
</script>

<template>
  <div>
    <ProblemNote v-if="error" :error="error" class="max-w-xl" />
    <p v-else-if="isPending" class="text-mute" role="status">Looking…</p>
    <div v-else-if="!all" class="max-w-md">
      <p class="font-[620]">Nothing is known to have been done.</p>
      <p class="text-mute">
        Not every provider tells what is done with an access; some only say when it was used.
      </p>
    </div>
    <template v-else>
      <div class="flex flex-wrap gap-2" role="group" aria-label="Who acted">
        <button
          type="button"
          class="rounded-md px-[10px] py-[5px] enabled:hover:bg-wash disabled:text-mute"
          :class="how === undefined ? 'bg-wash font-semibold' : ''"
          :aria-pressed="how === undefined"
          @click="how = undefined"
        >
          all {{ all }}
        </button>
        <button
          v-for="[way, text] in WAYS"
          :key="way"
          type="button"
          class="rounded-md px-[10px] py-[5px] enabled:hover:bg-wash disabled:text-mute"
          :class="how === way ? 'bg-wash font-semibold' : ''"
          :aria-pressed="how === way"
          :disabled="!counts[way]"
          @click="how = way"
        >
          {{ text }} {{ counts[way] }}
        </button>
      </div>
      <table class="mt-3 w-full max-w-5xl border-collapse text-left">
        <thead class="text-[12.5px] text-mute">
          <tr class="border-b border-rule">
            <th class="head">When</th>
            <th class="head">Who</th>
            <th class="head">In whose name</th>
            <th v-if="!account" class="head">Where</th>
            <th class="head">What</th>
            <th class="head">With</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in done" :key="one.id" class="border-b border-line">
            <td class="cell whitespace-nowrap" :title="exact(one.at)">
              {{ moment(one.at, zone) }}<span class="small block">{{ ago(one.at, now) }}</span>
            </td>
            <td class="cell">
              <RouterLink class="font-[620] hover:underline" :to="`/parties/${one.party.ref}`">{{
                one.party.name
              }}</RouterLink>
              <span v-if="one.how === 'app'" class="small block">app</span>
            </td>
            <td class="cell" :class="one.how === 'own' ? 'text-mute' : ''">{{ behalf(one) }}</td>
            <td v-if="!account" class="cell">
              {{ one.account.name }}<span class="small block">{{ one.provider }}</span>
            </td>
            <td class="cell">
              {{ one.what }}<span class="small block">{{ one.power }}</span>
            </td>
            <td class="cell">
              <RouterLink
                v-if="one.entry"
                class="link font-mono text-[12.5px]"
                :to="{
                  path: '/inventory',
                  query: { state: 'offered,live,paused,ending,ended', entry: one.entry },
                }"
                >{{ one.entry }}</RouterLink
              >
            </td>
          </tr>
        </tbody>
      </table>
      <button v-if="hasNextPage" type="button" class="button my-4" @click="pages.fetchNextPage()">
        Earlier
      </button>
    </template>
  </div>
</template>
