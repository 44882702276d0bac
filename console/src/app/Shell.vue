<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, standstill, take } from "@/api/client";
import { Problem } from "@/api/problem";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import LatchMark from "@/ui/LatchMark.vue";
import ConfirmDialog from "./ConfirmDialog.vue";
import ShortcutSheet from "./ShortcutSheet.vue";
import SearchDialog from "./SearchDialog.vue";
import { isHere, KEYS, usePlaces } from "./places";
import { useShortcuts } from "./shortcuts";
import { useTheme } from "./theme";

const router = useRouter();
const route = useRoute();
const session = useSession();
const { me, error } = session;
const theme = useTheme();
const sheet = ref(false);
const search = ref(false);
/** Whether the places are shown on a small screen; where one goes, they are out of the way. */
const menu = ref(false);
watch(
  () => route.fullPath,
  () => (menu.value = false),
);
const maySeeParties = session.may("parties.browse");
const maySeeService = session.may("service.show");

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
const holders = useQuery({
  queryKey: ["holders"],
  queryFn: () => take(api.GET("/session/holders")),
  enabled: computed(() => !!me.value && !bound.value),
});
const elsewhere = computed(() =>
  (holders.data.value?.items ?? []).slice(1).reduce((sum, one) => sum + one.total, 0),
);
const { groups } = usePlaces();

// A member has nothing to look after but their own access.
watch(
  [me, () => route.path],
  ([now, path]) => {
    if (!now || maySeeParties.value || !["/", "/inventory"].includes(path)) return;
    const { entry } = route.query;
    void router.replace({ path: "/mine", query: entry ? { entry } : {} });
  },
  { immediate: true },
);

useShortcuts({
  "?": () => (sheet.value = true),
  "/": () => (search.value = true),
  ...Object.fromEntries(
    KEYS.map((key) => [
      `g ${key}`,
      () => {
        const place = groups.value.flatMap((group) => group.places).find((one) => one.key === key);
        if (place) void router.push(place.to);
      },
    ]),
  ),
});

async function signOut(): Promise<void> {
  await session.signOut();
  await router.replace("/sign-in");
}
</script>

<template>
  <div
    class="grid h-dvh grid-cols-[186px_minmax(0,1fr)] max-md:grid-cols-1 max-md:grid-rows-[auto_minmax(0,1fr)]"
  >
    <nav
      aria-label="Places"
      class="flex min-h-0 flex-col border-r border-line pt-4 pb-3 max-md:flex-row max-md:items-center max-md:border-r-0 max-md:border-b max-md:py-1"
    >
      <RouterLink to="/" class="block px-[18px] py-[3px]" aria-label="Open Latch, to the start"
        ><LatchMark
      /></RouterLink>
      <RouterLink
        to="/holders"
        class="block px-[18px] pt-3 pb-3 text-plain leading-[1.3] text-mute hover:text-ink max-md:hidden"
        :title="`Workspace: ${me?.workspace.name}`"
      >
        {{ me?.workspace.name }}
        <b v-if="elsewhere" class="block font-[620] text-act">{{ elsewhere }} waiting in others</b>
      </RouterLink>
      <button
        type="button"
        class="mx-[18px] mb-2 flex items-center justify-between rounded-md border border-line px-[10px] py-[5px] text-left text-plain text-mute hover:border-rule hover:text-ink max-md:mr-2 max-md:mb-0 max-md:ml-auto max-md:px-4 max-md:py-2"
        aria-keyshortcuts="/"
        @click="search = true"
      >
        Search <kbd class="font-mono text-small max-md:hidden" aria-hidden="true">/</kbd>
      </button>
      <button
        type="button"
        class="button mr-4 md:hidden"
        :aria-expanded="menu"
        aria-controls="places"
        @click="menu = !menu"
      >
        {{ menu ? "Close" : "Menu" }}
      </button>
      <div
        id="places"
        class="flex min-h-0 flex-1 flex-col max-md:fixed max-md:inset-x-0 max-md:top-[55px] max-md:bottom-0 max-md:z-30 max-md:bg-paper"
        :class="menu ? '' : 'max-md:hidden'"
      >
        <div class="min-h-0 flex-1 overflow-y-auto">
          <template v-for="group in groups" :key="group.title">
            <h2 v-if="group.title" class="small px-[18px] pt-[9px] pb-px font-sans">
              {{ group.title }}
            </h2>
            <RouterLink
              v-for="place in group.places"
              :key="place.to"
              :to="place.to"
              class="flex justify-between gap-2 border-l-3 border-transparent px-[18px] py-[3.5px] hover:bg-wash max-md:py-[7px] forced-colors:not-aria-[current=page]:border-[Canvas]"
              :class="
                isHere(place.to, route.path)
                  ? 'border-l-act! bg-linear-to-r from-wash to-transparent font-[650]'
                  : ''
              "
              :aria-current="isHere(place.to, route.path) ? 'page' : undefined"
            >
              {{ place.name }}
              <span v-if="place.count !== undefined" class="text-small text-mute tabular-nums">{{
                place.count
              }}</span>
            </RouterLink>
          </template>
        </div>
        <div class="border-t border-line px-[18px] pt-2 max-md:pb-4">
          <template v-if="me">
            <div class="leading-[1.3]">
              <RouterLink class="font-[550] hover:underline" to="/me">{{ me.person.name }}</RouterLink>{{
                " "
              }}
              <span class="small whitespace-nowrap">{{ me.person.role }}</span>
            </div>
            <div class="mt-1 flex flex-wrap gap-x-[9px] text-small">
              <RouterLink class="link inline-block py-[4px]" to="/told">Notices</RouterLink>
              <a class="link inline-block py-[4px]" href="/help/">Help</a>
              <button class="link py-[4px]" type="button" @click="signOut">Sign out</button>
              <button class="link py-[4px]" type="button" @click="theme.toggle">
                {{ theme.dark.value ? "Light" : "Dark" }}
              </button>
              <button
                class="link py-[4px]"
                type="button"
                aria-label="Keyboard shortcuts"
                @click="sheet = true"
              >
                ?
              </button>
            </div>
          </template>
        </div>
      </div>
    </nav>
    <main class="flex min-h-0 min-w-0 flex-col overflow-hidden">
      <p
        v-if="me && standstill"
        role="status"
        class="border-b border-line bg-wash px-[26px] py-[7px] text-plain"
      >
        {{ standstill }}
        <RouterLink v-if="maySeeService && route.path !== '/service'" class="link" to="/service"
          >See how the service stands</RouterLink
        >
      </p>
      <div v-if="me" class="min-h-0 flex-1"><RouterView /></div>
      <div v-else-if="error && !signedOut" class="p-7"><ProblemNote :error="error" /></div>
    </main>
    <ConfirmDialog />
    <SearchDialog v-model:open="search" />
    <ShortcutSheet v-model:open="sheet" />
  </div>
</template>
