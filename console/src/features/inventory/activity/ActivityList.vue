<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take, type Activity } from "@/api/client";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import WhenKnown from "@/ui/WhenKnown.vue";
import { ago, exact, moment } from "@/ui/time";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import { usePages } from "@/ui/usePages";
import SegmentedButtons from "@/ui/SegmentedButtons.vue";

const columns = computed<Column[]>(() => [
  { key: "when", title: "When", cell: "whitespace-nowrap" },
  { key: "who", title: "Who" },
  { key: "inWhoseName", title: "In whose name" },
  ...(!props.account ? [{ key: "where", title: "Where" }] : []),
  { key: "what", title: "What" },
  { key: "with", title: "With" },
]);

/** Activity on an account, or by a party and on its behalf: told apart by who acted, and in whose name. */
const props = defineProps<{ account?: string; party?: string }>();
const { zone } = useSession();
const now = useNow();
const how = ref<Activity["how"]>();

const {
  items: done,
  first,
  error,
  isPending,
  hasMore,
  more,
} = usePages(
  () => ["activity", props.account, props.party, how.value],
  (cursor) =>
    take(
      api.GET("/activity", {
        params: { query: { account: props.account, party: props.party, how: how.value, limit: 50, cursor } },
      }),
    ),
  { keeps: true },
);
const counts = computed(() => first.value?.counts ?? { own: 0, delegate: 0, app: 0 });
const all = computed(() => counts.value.own + counts.value.delegate + counts.value.app);
const WAYS = [
  ["own", "the holder's own people"],
  ["delegate", "on someone's behalf"],
  ["app", "apps"],
] as const;
const choices = computed(() => [
  ["", `all ${all.value}`] as const,
  ...WAYS.map(([way, text]) => [way, `${text} ${counts.value[way]}`] as const),
]);
const none = computed(() => WAYS.map(([way]) => way).filter((way) => !counts.value[way]));

function behalf(one: Activity): string {
  if (one.behalf_of) return one.behalf_of.name;
  return one.how === "own" ? "their own" : "the holder's";
}
</script>

<template>
  <div>
    <WhenKnown :error="error" :pending="isPending">
      <div v-if="!all" class="max-w-md">
        <p class="font-[620]">No activity is known.</p>
        <p class="text-mute">
          Not every provider reports what is done with an access; some only say when it was used.
        </p>
      </div>
      <template v-else>
        <SegmentedButtons
          label="Who acted"
          :choices="choices"
          :chosen="how ?? ''"
          :without="none"
          @choose="(way) => (how = WAYS.find(([one]) => one === way)?.[0])"
        />
        <DataTable class="mt-3 max-w-5xl" :columns="columns" :rows="done" :key-of="(one) => one.id">
          <template #when="{ row: one }">
            <span :title="exact(one.at)"
              >{{ moment(one.at, zone) }}<span class="small block">{{ ago(one.at, now) }}</span></span
            >
          </template>
          <template #who="{ row: one }">
            <RouterLink class="font-[620] hover:underline" :to="`/parties/${one.party.ref}`">{{
              one.party.name
            }}</RouterLink>
            <span v-if="one.how === 'app'" class="small block">app</span>
          </template>
          <template #inWhoseName="{ row: one }">
            <span :class="one.how === 'own' ? 'text-mute' : ''">{{ behalf(one) }}</span>
          </template>
          <template #where="{ row: one }"
            >{{ one.account.name }}<span class="small block">{{ one.provider }}</span>
          </template>
          <template #what="{ row: one }"
            >{{ one.what }}<span class="small block">{{ one.power }}</span>
          </template>
          <template #with="{ row: one }">
            <RouterLink v-if="one.entry" class="link font-mono text-small" :to="`/entries/${one.entry}`">{{
              one.entry
            }}</RouterLink>
          </template>
        </DataTable>
        <button v-if="hasMore" type="button" class="button my-4" @click="more">Earlier</button>
      </template>
    </WhenKnown>
  </div>
</template>
