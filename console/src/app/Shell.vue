<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ConfirmDialog from "./ConfirmDialog.vue";
import ShortcutSheet from "./ShortcutSheet.vue";
import { useShortcuts } from "./shortcuts";
import { useTheme } from "./theme";

const router = useRouter();
const route = useRoute();
const session = useSession();
const { me, error } = session;
const theme = useTheme();
const sheet = ref(false);
const maySeeOrders = session.may("orders.browse");
const maySeeParties = session.may("parties.browse");
const maySeeFlags = session.may("flags.browse");
const maySeePeople = session.may("people.browse");
const mayReadLog = session.may("log.browse");

const signedOut = computed(() => error.value instanceof Problem && error.value.status === 401);
watch(signedOut, (out) => {
  if (out) void router.replace({ path: "/sign-in", query: { back: route.fullPath } });
});

/** Whoever has to add a second factor first is led to where that is done. */
const bound = computed(() => me.value?.lacks_factor === true);
watch(
  [bound, () => route.path],
  ([now, path]) => {
    if (now && path !== "/me") void router.replace("/me");
  },
  { immediate: true },
);
const standing = useQuery({
  queryKey: ["entries", "summary", {}],
  queryFn: () => take(api.GET("/entries/summary")),
  enabled: computed(() => !!me.value && !bound.value),
});
const open = useQuery({
  queryKey: ["orders", "open"],
  queryFn: () => take(api.GET("/orders", { params: { query: { state: "waiting,running,told,stuck" } } })),
  enabled: computed(() => !!me.value && maySeeOrders.value),
});
const mayReview = session.may("rounds.browse");
const waiting = useQuery({
  queryKey: ["rounds", "open"],
  queryFn: () => take(api.GET("/rounds", { params: { query: { state: "open" } } })),
  enabled: computed(() => !!me.value && mayReview.value),
});
const maySeeProposals = session.may("proposals.browse");
const maySeeRequests = session.may("requests.browse");
const asks = useQuery({
  queryKey: ["requests", "waiting"],
  queryFn: () => take(api.GET("/requests", { params: { query: { state: "waiting", limit: 100 } } })),
  enabled: computed(() => !!me.value && maySeeRequests.value),
});
const holders = useQuery({
  queryKey: ["holders"],
  queryFn: () => take(api.GET("/session/holders")),
  enabled: computed(() => !!me.value && !bound.value),
});
const elsewhere = computed(() =>
  (holders.data.value?.items ?? []).slice(1).reduce((sum, one) => sum + one.total, 0),
);
const places = computed(() =>
  [
    { to: "/", name: "Today", count: undefined, shown: maySeeParties.value },
    {
      to: "/inventory",
      name: me.value?.person.role === "member" ? "My access" : "Inventory",
      count: standing.data.value?.entries,
      shown: true,
    },
    { to: "/accounts", name: "Accounts", count: undefined, shown: maySeeParties.value },
    { to: "/apps", name: "Apps", count: undefined, shown: maySeeParties.value },
    { to: "/parties", name: "Parties", count: undefined, shown: maySeeParties.value },
    {
      to: "/reviews",
      name: "Reviews",
      count: waiting.data.value?.items.reduce((sum, one) => sum + one.mine, 0) || undefined,
      shown: mayReview.value,
    },
    {
      to: "/offers",
      name: "Offers",
      count: asks.data.value?.items.length || undefined,
      shown: true,
    },
    { to: "/what-if", name: "What if", count: undefined, shown: maySeeProposals.value },
    {
      to: "/orders",
      name: "Orders",
      count: open.data.value?.items.length || undefined,
      shown: maySeeOrders.value,
    },
    { to: "/flags", name: "Flags", count: undefined, shown: maySeeFlags.value },
    { to: "/rules", name: "Rules", count: undefined, shown: maySeeFlags.value },
    { to: "/providers", name: "Providers", count: undefined, shown: true },
    { to: "/people", name: "People", count: undefined, shown: maySeePeople.value },
    { to: "/log", name: "Log", count: undefined, shown: mayReadLog.value },
  ].filter((place) => place.shown && !bound.value),
);

const here = (to: string): boolean =>
  to === "/"
    ? route.path === "/"
    : route.path.startsWith(to) || (to === "/reviews" && route.path.startsWith("/rounds"));
// A member has nothing to look after but their own access.
watch(
  [me, () => route.path],
  ([now, path]) => {
    if (now && path === "/" && !maySeeParties.value) void router.replace("/inventory");
  },
  { immediate: true },
);

const go = (to: string) => () => void router.push(to);
useShortcuts({
  "?": () => (sheet.value = true),
  "g t": go("/"),
  "g i": go("/inventory"),
  "g f": go("/flags"),
  "g r": go("/rules"),
  "g a": go("/accounts"),
  "g w": go("/parties"),
  "g o": go("/orders"),
  "g v": go("/reviews"),
  "g n": go("/offers"),
  "g x": go("/what-if"),
  "g p": go("/providers"),
  "g l": go("/log"),
});

async function signOut(): Promise<void> {
  await session.signOut();
  await router.replace("/sign-in");
}
</script>

<template>
  <div
    class="grid h-dvh grid-cols-[168px_minmax(0,1fr)] max-md:grid-cols-1 max-md:grid-rows-[auto_minmax(0,1fr)]"
  >
    <nav
      aria-label="Places"
      class="flex flex-col border-r border-line py-5 max-md:flex-row max-md:items-center max-md:overflow-x-auto max-md:border-r-0 max-md:border-b max-md:py-2"
    >
      <RouterLink to="/" class="block px-[18px] py-[3px]" aria-label="Open Latch, to the start"
        ><LatchMark
      /></RouterLink>
      <RouterLink
        to="/holders"
        class="block px-[18px] pt-4 pb-[18px] text-plain leading-[1.3] text-mute hover:text-ink max-md:hidden"
        :title="`Workspace: ${me?.workspace.name}`"
      >
        {{ me?.workspace.name }}
        <b v-if="elsewhere" class="block font-[620] text-act">{{ elsewhere }} waiting in others</b>
      </RouterLink>
      <RouterLink
        v-for="place in places"
        :key="place.to"
        :to="place.to"
        class="flex justify-between gap-2 border-l-3 border-transparent px-[18px] py-[7px] hover:bg-wash max-md:border-l-0"
        :class="here(place.to) ? 'border-l-act! bg-linear-to-r from-wash to-transparent font-[650]' : ''"
        :aria-current="here(place.to) ? 'page' : undefined"
      >
        {{ place.name }}
        <span v-if="place.count !== undefined" class="text-small text-mute tabular-nums">{{
          place.count
        }}</span>
      </RouterLink>
      <div class="mt-auto px-[18px] max-md:mt-0 max-md:ml-auto max-md:whitespace-nowrap">
        <template v-if="me">
          <RouterLink class="block font-[550] hover:underline max-md:hidden" to="/me">{{
            me.person.name
          }}</RouterLink>
          <div class="small max-md:hidden">{{ me.person.role }}</div>
          <div class="mt-2 flex flex-wrap gap-x-3 gap-y-[9px] text-small">
            <RouterLink class="link w-full max-md:hidden" to="/told">Notices</RouterLink>
            <RouterLink class="link md:hidden" to="/me">My account</RouterLink>
            <button class="link" type="button" @click="signOut">Sign out</button>
            <button class="link" type="button" @click="theme.toggle">
              {{ theme.dark.value ? "Light" : "Dark" }}
            </button>
            <button class="link" type="button" aria-label="Keyboard shortcuts" @click="sheet = true">
              ?
            </button>
          </div>
        </template>
      </div>
    </nav>
    <main class="min-h-0 min-w-0 overflow-hidden">
      <RouterView v-if="me" />
      <div v-else-if="error && !signedOut" class="p-7"><ProblemNote :error="error" /></div>
    </main>
    <ConfirmDialog />
    <ShortcutSheet v-model:open="sheet" />
  </div>
</template>
