<script setup lang="ts">
import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
} from "@headlessui/vue";
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { pageOf } from "./found";
import { usePlaces } from "./places";

/** One box for everything: what the service finds, the pages, and what can be begun. */
const open = defineModel<boolean>("open", { required: true });
const router = useRouter();
const session = useSession();
const { groups } = usePlaces();
const text = ref("");
watch(open, () => (text.value = ""));
const wanted = computed(() => text.value.trim());
const found = useQuery({
  queryKey: computed(() => ["search", wanted.value]),
  queryFn: () => take(api.GET("/search", { params: { query: { q: wanted.value, limit: 5 } } })),
  enabled: computed(() => open.value && wanted.value.length > 1),
});

interface Choice {
  key: string;
  kind: string;
  name: string;
  says: string;
  to: string;
}
const ACTS: [permission: string, name: string, to: string][] = [
  ["offers.create", "Let someone in", "/offers/new"],
  ["proposals.create", "Try out a change (what-if)", "/what-if/new"],
  ["reviews.create", "Add a review", "/reviews?new=yes"],
  ["providers.create", "Add a provider", "/providers?add=yes"],
  ["people.invite", "Invite someone to sign in here", "/people?invite=yes"],
  ["requests.create", "Ask for access", "/offers?what=requests&ask=yes"],
];
const mine = (permission: string): boolean => session.me.value?.may.includes(permission) ?? false;
const has = (name: string): boolean => name.toLowerCase().includes(wanted.value.toLowerCase());
const begins = (name: string): boolean => name.toLowerCase().startsWith(wanted.value.toLowerCase());
const own = computed<Choice[]>(() =>
  [
    ...groups.value
      .flatMap((group) => group.places)
      .map((place) => ({ key: place.to, kind: "page", name: place.name, says: "", to: place.to })),
    ...ACTS.filter(([permission]) => mine(permission)).map(([, name, to]) => ({
      key: to,
      kind: "act",
      name,
      says: "",
      to,
    })),
  ].filter((one) => has(one.name)),
);
/** What is found here and there: a page or an act that begins as was typed stands before all else. */
const choices = computed<Choice[]>(() => {
  const things = wanted.value.length > 1 ? (found.data.value?.items ?? []) : [];
  const first = wanted.value ? own.value.filter((one) => begins(one.name)) : [];
  return [
    ...first,
    ...things.map((one) => ({
      key: `${one.kind} ${one.id}`,
      kind: one.kind,
      name: one.name,
      says: `${one.says} · ${one.ref}`,
      to: pageOf(one),
    })),
    ...own.value.filter((one) => !first.includes(one)),
  ];
});
function choose(choice: Choice | null): void {
  if (!choice) return;
  open.value = false;
  void router.push(choice.to);
}
</script>

<template>
  <Dialog :open="open" class="relative z-30" @close="open = false">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center p-4 pt-[10vh]">
      <DialogPanel class="w-full max-w-[620px] rounded-lg border border-rule bg-sheet">
        <Combobox nullable @update:model-value="choose">
          <ComboboxInput
            class="w-full border-b border-line bg-transparent px-5 py-[14px] text-lead outline-offset-[-2px]"
            aria-label="Search everything"
            placeholder="A name, an address, an account, a short form, a page…"
            autocomplete="off"
            spellcheck="false"
            maxlength="200"
            @change="text = ($event.target as HTMLInputElement).value"
            @keydown.esc.prevent.stop="open = false"
          />
          <ComboboxOptions static class="max-h-[60vh] overflow-auto py-2" aria-label="Found">
            <ComboboxOption v-for="one in choices" :key="one.key" v-slot="{ active }" :value="one">
              <div
                class="grid cursor-pointer grid-cols-[84px_minmax(0,1fr)] gap-x-3 px-5 py-[6px]"
                :class="active ? 'bg-act text-paper' : ''"
              >
                <span class="text-small leading-[1.6]" :class="active ? '' : 'text-mute'">{{
                  one.kind
                }}</span>
                <span>
                  <span class="break-words">{{ one.name }}</span>
                  <span
                    v-if="one.says"
                    class="block text-small break-words"
                    :class="active ? '' : 'text-mute'"
                    >{{ one.says }}</span
                  >
                </span>
              </div>
            </ComboboxOption>
            <li v-if="!choices.length" class="px-5 py-2 text-mute" role="presentation">
              {{
                found.isFetching.value
                  ? "Searching…"
                  : found.error.value
                    ? found.error.value.message
                    : "Nothing matches."
              }}
            </li>
          </ComboboxOptions>
        </Combobox>
      </DialogPanel>
    </div>
  </Dialog>
</template>
