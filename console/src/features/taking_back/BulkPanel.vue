<script setup lang="ts">
import { quoted } from "@/ui/command";
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { ENTRIES, toQuery } from "@/features/inventory/filters";
import { without, type Filter } from "@/ui/list/kind";
import type { Act } from "@/features/orders/acts";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import TogetherList from "./TogetherList.vue";
import FormField from "@/ui/FormField.vue";
import DateField from "@/ui/DateField.vue";

const props = defineProps<{ filter: Filter }>();
const emit = defineEmits<{ close: [] }>();
const { zone } = useSession();
const router = useRouter();
const queries = useQueryClient();
const CHOICES: [Act, string][] = [
  ["end", "End now"],
  ["end-on", "Last day"],
  ["narrow", "Narrow"],
  ["extend", "Extend"],
  ["pause", "Pause"],
  ["close-sessions", "Sign out"],
];
const act = ref<Act>("end");
const level = ref("");
const until = ref("");
const reason = ref("");
const said = ref("");

const dated = computed(() => act.value === "end-on" || act.value === "extend");
const wish = computed(() => ({
  where: toQuery(without(props.filter, "sort", "columns")) as never,
  action: act.value,
  level: act.value === "narrow" ? level.value : "",
  until: dated.value ? until.value || null : null,
}));
const ready = computed(() => (act.value !== "narrow" || !!level.value) && (!dated.value || !!until.value));
const { data: plan, error } = useQuery({
  queryKey: computed(() => ["batches", "plan", wish.value]),
  queryFn: () => take(api.POST("/batches/plan", { body: wish.value })),
  enabled: ready,
  staleTime: 0,
});
const order = useMutation({
  mutationFn: () =>
    take(api.POST("/batches", { body: { ...wish.value, count: Number(said.value), reason: reason.value } })),
  onSuccess: async (batch) => {
    await queries.invalidateQueries({ queryKey: ["entries"] });
    await router.push(`/batches/${batch.ref}`);
  },
});
const command = computed(() => {
  const verb = act.value === "end-on" ? "end" : act.value;
  const filters = ENTRIES.line(without(props.filter, "sort", "columns"));
  const parts = [filters.replace("openlatch inventory", `openlatch batch start ${verb}`)];
  if (act.value === "narrow") parts.push("--level", level.value ? quoted(level.value) : "LEVEL");
  if (dated.value) parts.push("--until", until.value || "LAST-DAY");
  return parts.join(" ");
});
</script>

<template>
  <SidePanel label="Act on all" @close="emit('close')">
    <p class="small">All entries that the filters show</p>
    <h2 class="mt-2 pr-6">Act on all of them?</h2>
    <div class="mt-4 flex flex-wrap gap-1 text-plain" role="group" aria-label="Action">
      <button
        v-for="[one, name] in CHOICES"
        :key="one"
        type="button"
        class="rounded-md px-[10px] py-[6px]"
        :class="one === act ? 'bg-wash font-semibold' : 'text-act'"
        :aria-pressed="one === act"
        @click="((act = one), (said = ''))"
      >
        {{ name }}
      </button>
    </div>
    <label v-if="dated" class="mt-4 block">
      <span class="small mb-1 block"
        >The {{ act === "extend" ? "later " : "" }}last day; access ends when it is over ({{ zone }})</span
      >
      <DateField v-model="until" />
    </label>
    <FormField v-if="act === 'narrow'" class="mt-4" label="To this level of the provider">
      <input v-model.lazy="level" class="field w-full" autocomplete="off" />
    </FormField>
    <ProblemNote v-if="error" :error="error" class="mt-6" />
    <p v-else-if="ready && !plan" class="mt-6 text-mute" role="status">Working out what would happen…</p>
    <template v-else-if="ready && plan">
      <h3 class="section">What happens</h3>
      <p v-if="plan.looked_at < plan.count" class="small mb-3">
        The first {{ plan.looked_at }} of {{ plan.count.toLocaleString("en") }} were checked one by one.
      </p>
      <TogetherList :consequences="plan.consequences" :refused="plan.refused" />
      <FormField class="mt-4" label="Reason, for the log (optional)">
        <input v-model="reason" class="field w-full" maxlength="1000" autocomplete="off" />
      </FormField>
      <FormField class="mt-3" :label="`To confirm, type how many there are: ${plan.count}`">
        <input v-model="said" class="field w-[120px]" inputmode="numeric" autocomplete="off" name="count" />
      </FormField>
      <ProblemNote v-if="order.error.value" :error="order.error.value" class="mt-5" />
      <div class="acts">
        <button
          type="button"
          class="button button-danger"
          :disabled="order.isPending.value || Number(said) !== plan.count || !plan.ready"
          @click="order.mutate()"
        >
          Order it for {{ plan.count.toLocaleString("en") }}
        </button>
        <button type="button" class="button" @click="emit('close')">Cancel</button>
      </div>
    </template>
    <p class="mt-[18px] font-mono text-small break-words text-mute">{{ command }} --dry-run</p>
  </SidePanel>
</template>
