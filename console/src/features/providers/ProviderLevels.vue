<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import PowerMarks from "@/ui/PowerMarks.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { POWERS } from "@/api/words";

const props = defineProps<{ provider: string }>();
const mayCorrect = useSession().may("levels.correct");
const queries = useQueryClient();
const editing = ref("");
const chosen = ref<(typeof POWERS)[number][]>([]);

const path = { provider: props.provider };
const { data, error } = useQuery({
  queryKey: ["levels", props.provider],
  queryFn: () => take(api.GET("/providers/{provider}/levels", { params: { path } })),
});
const words = computed(() => data.value?.items ?? []);
const correct = useMutation({
  mutationFn: ({ word, powers }: { word: string; powers: (typeof POWERS)[number][] | null }) =>
    take(api.PUT("/providers/{provider}/levels", { params: { path }, body: { word, powers } })),
  onSuccess: async (after) => {
    queries.setQueryData(["levels", props.provider], after);
    editing.value = "";
    await queries.invalidateQueries({ queryKey: ["entries"] });
  },
});
const WHO: Record<string, string> = {
  stated: "the provider",
  "built-in": "its protocol",
  unknown: "nobody yet",
};
function edit(word: string, powers: readonly string[]): void {
  editing.value = word;
  chosen.value = POWERS.filter((power) => powers.includes(power));
}
</script>

<template>
  <ProblemNote v-if="error" :error="error" />
  <p v-else-if="data && !words.length" class="text-mute">No entry has a level or permission yet.</p>
  <table v-else-if="data" class="w-full border-collapse text-left text-plain">
    <thead class="text-small text-mute">
      <tr class="border-b border-rule">
        <th class="head">In the provider's words</th>
        <th class="head">Means</th>
        <th class="head text-right">Entries</th>
        <th class="head">Source</th>
        <th class="head"><span class="sr-only">Correct</span></th>
      </tr>
    </thead>
    <tbody>
      <template v-for="word in words" :key="word.kind + word.word">
        <tr class="border-b border-line">
          <td class="cell break-words" :class="word.origin === 'unknown' ? 'font-semibold' : ''">
            {{ word.word }}<span class="small block">{{ word.kind }}</span>
          </td>
          <td class="cell">
            <b v-if="word.origin === 'unknown'" class="font-semibold text-high">not known</b>
            <template v-else>
              <PowerMarks :held="word.powers" :used="null" />
              <span class="small block">{{ word.powers.join(", ") || "no power" }}</span>
            </template>
          </td>
          <td class="cell text-right tabular-nums">{{ word.entries }}</td>
          <td class="cell text-mute">{{ word.corrected_by || WHO[word.origin] }}</td>
          <td class="cell text-right">
            <button
              v-if="mayCorrect"
              type="button"
              class="link"
              :aria-label="`Say what ${word.word} means`"
              @click="edit(word.word, word.powers)"
            >
              {{ word.origin === "unknown" ? "Say what it means" : "Correct" }}
            </button>
          </td>
        </tr>
        <tr v-if="editing === word.word" class="border-b border-line bg-wash/60">
          <td class="p-3" colspan="5">
            <form @submit.prevent="correct.mutate({ word: word.word, powers: chosen })">
              <fieldset class="flex flex-wrap gap-x-5 gap-y-1">
                <legend class="mb-1">“{{ word.word }}” allows:</legend>
                <label v-for="power in POWERS" :key="power" class="flex items-center gap-[6px]">
                  <input v-model="chosen" type="checkbox" :value="power" /> {{ power }}
                </label>
              </fieldset>
              <div class="mt-3 flex gap-2">
                <button type="submit" class="button" :disabled="correct.isPending.value">Save</button>
                <button
                  v-if="word.origin === 'corrected'"
                  type="button"
                  class="button"
                  @click="correct.mutate({ word: word.word, powers: null })"
                >
                  Undo the correction
                </button>
                <button type="button" class="button" @click="editing = ''">Cancel</button>
              </div>
              <ProblemNote v-if="correct.error.value" :error="correct.error.value" class="mt-3" />
            </form>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>
