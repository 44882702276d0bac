<script setup lang="ts">
import { useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import ListPage from "@/ui/ListPage.vue";

const route = useRoute();
const router = useRouter();
const q = computed(() => (typeof route.query.q === "string" ? route.query.q : ""));
const text = ref(q.value);
let timer = 0;
watch(text, (value) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(
    () => void router.replace({ query: value.trim() ? { q: value.trim() } : {} }),
    200,
  );
});

const pages = useInfiniteQuery({
  queryKey: computed(() => ["parties", "list", q.value]),
  queryFn: ({ pageParam }) =>
    take(api.GET("/parties", { params: { query: { q: q.value, limit: 200, cursor: pageParam } } })),
  initialPageParam: undefined as string | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
  placeholderData: (former) => former,
});
const { error, isPending, hasNextPage } = pages;
const alike = useQuery({
  queryKey: ["parties", "alike", ""],
  queryFn: () => take(api.GET("/perhaps-the-same")),
});
const pairs = computed(() => alike.data.value?.items.length ?? 0);
const parties = computed(() => pages.data.value?.pages.flatMap((page) => page.items) ?? []);
</script>

<template>
  <ListPage
    title="Parties"
    lead="Who and what has access: people, teams, programs."
    :error="error"
    :pending="isPending"
    :empty="!parties.length"
    :nothing="q ? 'Nobody matches.' : 'Nobody is known yet.'"
    hint="Parties appear when a provider has been read."
    :more="hasNextPage"
    @more="pages.fetchNextPage()"
  >
    <template #filter>
      <input
        v-model="text"
        type="search"
        class="field mt-4 w-[250px] text-[13px]"
        aria-label="Search names and addresses"
        placeholder="Search names and addresses"
      />
      <RouterLink class="link mt-2 self-start text-[13px]" to="/parties/perhaps-the-same">{{
        pairs === 0
          ? "Perhaps the same"
          : pairs === 1
            ? "Two are perhaps the same"
            : `${pairs} pairs are perhaps the same`
      }}</RouterLink>
    </template>
    <table class="w-full min-w-[640px] border-collapse text-left">
      <thead class="text-[12.5px] text-mute">
        <tr class="border-b border-rule">
          <th class="head">Who</th>
          <th class="head">Address</th>
          <th class="head">What</th>
          <th class="head">Status</th>
          <th class="head text-right">On accounts</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="party in parties" :key="party.id" class="border-b border-line hover:bg-wash/60">
          <td class="cell">
            <RouterLink :to="`/parties/${party.ref}`" class="font-[620] hover:underline">{{
              party.name
            }}</RouterLink>
            <em
              v-if="party.outside"
              class="ml-2 rounded-[3px] border border-current px-1 text-[11.5px] text-act not-italic"
              >outside</em
            >
          </td>
          <td class="cell text-mute">{{ party.addresses.join(", ") || "none known" }}</td>
          <td class="cell">{{ party.kind }}</td>
          <td class="cell" :class="party.status === 'left' ? 'font-semibold text-high' : 'text-mute'">
            {{ party.status === "unknown" ? "" : party.status }}
          </td>
          <td class="cell text-right tabular-nums">{{ party.on_accounts }}</td>
        </tr>
      </tbody>
    </table>
  </ListPage>
</template>
