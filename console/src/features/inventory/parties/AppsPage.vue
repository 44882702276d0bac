<script setup lang="ts">
import { computed } from "vue";
import { api, take, type Entry } from "@/api/client";
import { useSession } from "@/api/session";
import ListPage from "@/ui/ListPage.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import { POWERS } from "@/api/words";
import { standsApart } from "@/ui/powers";
import { day } from "@/ui/time";
import { usePages } from "@/ui/usePages";

const { zone } = useSession();
const { items, error, isPending, hasMore, more } = usePages(["entries", "apps"], (cursor) =>
  take(api.GET("/apps", { params: { query: { limit: 200, cursor } } })),
);
const apps = computed(() => items.value.filter((app) => app.entries.length));
/** The accounts that any app is on, those with the most apps first. */
const accounts = computed(() => {
  const found = new Map<string, { name: string; provider: string; apps: number }>();
  for (const entry of apps.value.flatMap((app) => app.entries)) {
    const there = found.get(entry.account.id);
    if (there) there.apps += 1;
    else found.set(entry.account.id, { name: entry.account.name, provider: entry.provider.name, apps: 1 });
  }
  return [...found]
    .map(([id, one]) => ({ id, ...one }))
    .sort((a, b) => b.apps - a.apps || a.name.localeCompare(b.name));
});
function since(entries: Entry[]): string {
  const first = entries
    .map((entry) => entry.given_at ?? "")
    .filter(Boolean)
    .sort()
    .at(0);
  return first ? `since ${day(first, zone.value)}` : "";
}
</script>

<template>
  <ListPage
    title="Apps"
    lead="Connected apps by account: what each can read or change, and where."
    :error="error"
    :pending="isPending"
    :empty="!apps.length"
    nothing="No app is connected."
    hint="Apps appear once a provider that lists them has been read."
    :more="hasMore"
    @more="more"
  >
    <table class="border-collapse text-left">
      <thead class="text-small text-mute">
        <tr class="border-b border-rule align-bottom">
          <th class="head min-w-[210px]">App</th>
          <th class="head text-right">Accounts</th>
          <th v-for="account in accounts" :key="account.id" class="head min-w-[150px] pl-6">
            <span class="flex h-[58px] items-end gap-1 pb-2" aria-hidden="true">
              <span
                v-for="power in POWERS"
                :key="power"
                class="w-[11px] rotate-180 text-mini leading-[11px] font-normal [writing-mode:vertical-rl]"
                :class="standsApart(power) ? 'ml-[5px]' : ''"
                >{{ power }}</span
              >
            </span>
            <span class="block text-plain text-ink">{{ account.name }}</span>
            <span class="small block font-normal">{{ account.provider }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="app in apps" :key="app.party.id" class="border-b border-line hover:bg-wash/60">
          <th class="cell pr-6 font-normal" scope="row">
            <RouterLink class="font-[620] hover:underline" :to="`/parties/${app.party.ref}`">{{
              app.party.name
            }}</RouterLink>
            <span class="small block">{{ app.party.publisher || "publisher unknown" }}</span>
            <span class="small block">{{ since(app.entries) }}</span>
          </th>
          <td class="cell text-right tabular-nums">{{ app.accounts }}</td>
          <td v-for="account in accounts" :key="account.id" class="cell pl-6">
            <RouterLink
              v-for="entry in app.entries.filter((one) => one.account.id === account.id)"
              :key="entry.id"
              class="block py-1"
              :to="{ path: '/inventory', query: { kind: 'app', entry: entry.ref } }"
              :title="entry.permissions.join('; ')"
            >
              <PowerMarks :held="entry.powers" :used="entry.used_powers" :unknown="entry.unknown" />
              <span class="small mt-1 line-clamp-2 block max-w-[190px]">{{
                entry.permissions.join("; ")
              }}</span>
            </RouterLink>
          </td>
        </tr>
      </tbody>
    </table>
    <p class="mt-5 font-mono text-small text-mute">openlatch app list</p>
  </ListPage>
</template>
