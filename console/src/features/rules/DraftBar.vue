<script setup lang="ts">
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { several } from "@/ui/words";
import TrialLines from "./TrialLines.vue";
import { useDraft } from "./useDraft";

/** What is drafted and not adopted: what it changes, which flags it would raise and clear, and adopting it. */
const router = useRouter();
const mayAdopt = useSession().may("policy.adopt");
const { present, changed, trial, trialError, trying, adopt, discard } = useDraft();
const shows = ref(false);
const note = ref("");
const flags = computed(() => {
  const lines = trial.value?.lines ?? [];
  const sum = (of: "appear" | "go") => lines.reduce((total, line) => total + line[of], 0);
  const [more, fewer] = [sum("appear"), sum("go")];
  if (!more && !fewer) return "No flag would be raised or cleared.";
  return `${several(more, "flag")} would be raised, ${fewer} cleared.`;
});
async function take(): Promise<void> {
  await adopt.mutateAsync(note.value);
  note.value = "";
  shows.value = false;
  await router.push({ path: "/policy", query: { show: "history" } });
}
</script>

<template>
  <section
    v-if="changed"
    class="mt-3 mr-6 border-l-2 border-act bg-wash/60 py-2 pr-3 pl-4"
    aria-label="Draft"
  >
    <div class="flex flex-wrap items-center gap-x-4 gap-y-1">
      <b class="font-[620]">Not adopted yet.</b>
      <span role="status">
        <template v-if="trying">Working out what that means…</template>
        <template v-else-if="trialError">It has mistakes.</template>
        <template v-else-if="trial">{{ flags }}</template>
      </span>
      <span class="ml-auto flex gap-3">
        <button type="button" class="link" :aria-expanded="shows" @click="shows = !shows">
          {{ shows ? "Close" : "Look at it, and adopt it…" }}
        </button>
        <button type="button" class="link" @click="discard">Discard</button>
      </span>
    </div>
    <ProblemNote v-if="trialError && shows" :error="trialError" class="mt-2" />
    <div v-if="shows && trial" class="mt-3 grid gap-3">
      <ul class="text-plain">
        <li v-for="one in trial.changes" :key="one">{{ one }}</li>
      </ul>
      <TrialLines :trial="trial" class="max-h-[260px] overflow-auto" tabindex="0" />
      <form v-if="mayAdopt" class="flex flex-wrap items-end gap-3" @submit.prevent="take">
        <label class="min-w-[280px] flex-1">
          <span class="small mb-1 block">Reason, for the log</span>
          <input v-model="note" class="field w-full" maxlength="1000" autocomplete="off" />
        </label>
        <button type="submit" class="button button-act" :disabled="trying || adopt.isPending.value">
          Adopt it as policy {{ (present?.number ?? 0) + 1 }}
        </button>
      </form>
      <p v-else class="small">You can test changes; only managers and owners can adopt them.</p>
      <ProblemNote v-if="adopt.error.value" :error="adopt.error.value" />
    </div>
  </section>
</template>
