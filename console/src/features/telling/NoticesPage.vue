<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, take, type Telling } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";

const queries = useQueryClient();
const { me } = useSession();
const now = useNow();
const found = useQuery({ queryKey: ["notices"], queryFn: () => take(api.GET("/notices")) });
const WAYS: [Telling, string][] = [
  ["at-once", "as things happen; what comes together is one letter"],
  ["daily", "once a day at 08:00, in one letter"],
  ["console", "here only"],
];
const choose = useMutation({
  mutationFn: (telling: Telling) => take(api.PUT("/notices/telling", { body: { telling } })),
  onSuccess: () => queries.invalidateQueries({ queryKey: ["me"] }),
});
const address = ref("");
const copied = ref(false);
// Browsers let a page copy only where it came over HTTPS, or from this machine.
const mayCopy = "clipboard" in navigator;
const make = useMutation({
  mutationFn: () => take(api.POST("/calendar")),
  onSuccess: (made) => {
    address.value = made.url;
    copied.value = false;
  },
});
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(address.value);
  copied.value = true;
}
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="Told" tabindex="0">
    <h1>Notices</h1>
    <p class="mt-[5px] text-mute">Everything that Open Latch has told you, and when you get letters.</p>
    <fieldset class="mt-4 grid gap-1">
      <legend class="small mb-1">You get letters at {{ me?.person.address }}</legend>
      <label v-for="[way, says] in WAYS" :key="way" class="inline-flex items-center gap-2">
        <input
          type="radio"
          name="telling"
          :value="way"
          :checked="me?.person.telling === way"
          :disabled="choose.isPending.value"
          @change="choose.mutate(way)"
        />
        {{ says }}
      </label>
    </fieldset>
    <ProblemNote v-if="choose.error.value" :error="choose.error.value" class="mt-3 max-w-xl" />
    <h2 class="section">Your calendar</h2>
    <p class="max-w-xl text-plain">
      Items of you, when reviews take place, and access that ends, in your own calendar program. Whoever knows
      the address can read that, and nothing else. A new address replaces the old one.
    </p>
    <p v-if="address" class="mt-2 flex max-w-3xl flex-wrap items-center gap-3">
      <code class="min-w-0 font-mono text-small break-all">{{ address }}</code>
      <button v-if="mayCopy" type="button" class="button" @click="copy">
        {{ copied ? "Copied" : "Copy" }}
      </button>
    </p>
    <button v-else type="button" class="button mt-2" :disabled="make.isPending.value" @click="make.mutate()">
      Make a new address
    </button>
    <ProblemNote v-if="make.error.value" :error="make.error.value" class="mt-3 max-w-xl" />
    <h2 class="section">News</h2>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
    <p v-else-if="found.isPending.value" class="text-mute" role="status">Loading…</p>
    <p v-else-if="!found.data.value?.items.length" class="text-mute">Nothing so far.</p>
    <ul v-else class="max-w-3xl">
      <li
        v-for="one in found.data.value?.items"
        :key="one.id"
        class="flex gap-4 border-t border-line py-[8px]"
      >
        <span class="w-[120px] shrink-0 text-plain text-mute" :title="exact(one.made_at)">{{
          ago(one.made_at, now)
        }}</span>
        <span>
          <RouterLink v-if="one.link" class="font-[620] hover:underline" :to="one.link">{{
            one.title
          }}</RouterLink>
          <b v-else class="font-[620]">{{ one.title }}</b>
          <span v-if="one.text" class="block text-plain whitespace-pre-line">{{ one.text }}</span>
          <span v-if="one.trouble" class="small block text-high"
            >The letter could not be sent. {{ one.trouble }}</span
          >
        </span>
      </li>
    </ul>
    <p class="mt-5 font-mono text-small text-mute">openlatch notice list; openlatch me calendar --new</p>
  </section>
</template>
