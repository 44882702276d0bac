<script setup lang="ts">
import { computed } from "vue";
import { useSession } from "@/api/session";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";
import { useProviders } from "./useProviders";

const session = useSession();
const mayRead = session.may("readings.start");
const { providers, reading, read } = useProviders();
const now = useNow();

const readable = computed(() => providers.value.filter((one) => !one.by_hand));
const unsure = computed(() => providers.value.filter((one) => one.worn_off));
const complete = computed(() => providers.value.filter((one) => one.last_complete && !one.stale));
const stale = computed(() => providers.value.filter((one) => one.stale));
const oldest = computed(() =>
  complete.value
    .map((one) => one.last_complete ?? "")
    .sort()
    .at(0),
);
const progress = computed(() => {
  const one = reading.value[0];
  if (!one) return "";
  const { seen = 0, total } = one.latest ?? {};
  const rest = reading.value.length > 1 ? ` and ${reading.value.length - 1} more` : "";
  return `Reading ${one.name}${seen ? `, ${seen}${total ? ` of ${total}` : ""} entries` : ""}${rest}…`;
});
</script>

<template>
  <div
    v-if="providers.length"
    class="text-right text-plain leading-[1.45] text-mute max-sm:text-left"
    role="status"
  >
    <span v-if="oldest">
      Read <b class="font-semibold text-ink" :title="exact(oldest)">{{ ago(oldest, now) }}</b><template
        v-if="stale.length"
        >, except</template
      >
    </span>
    <span v-for="one in stale" :key="one.id" class="block">
      {{ one.name }},
      <template v-if="one.last_complete">
        last complete
        <b class="font-semibold text-high" :title="exact(one.last_complete)">{{
          ago(one.last_complete, now)
        }}</b>
      </template>
      <b v-else class="font-semibold text-high">never read completely</b>
    </span>
    <span v-for="one in unsure" :key="`hand-${one.id}`" class="block">
      {{ one.name }}:
      <b class="font-semibold text-high">
        {{ one.worn_off }} recorded by hand, not vouched for in {{ one.vouch_days }} days
      </b>
    </span>
    <span class="block">
      <template v-if="progress">{{ progress }}</template>
      <button
        v-else-if="mayRead && readable.length"
        type="button"
        class="link"
        :disabled="read.isPending.value"
        @click="read.mutate({ wanted: readable })"
      >
        Read again
      </button>
    </span>
  </div>
</template>
