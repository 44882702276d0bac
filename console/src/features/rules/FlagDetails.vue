<script setup lang="ts">
import { computed, ref } from "vue";
import type { Flag } from "@/api/client";
import { useSession } from "@/api/session";
import { day, exact, lastDay } from "@/ui/time";
import AcceptFlag from "./AcceptFlag.vue";
import { told } from "./facts";

/** All that a flag rests on, and living with it. */
const props = defineProps<{ flag: Flag }>();
const session = useSession();
const { zone } = session;
const mayAccept = session.may("flags.accept");
const accepting = ref(false);
const facts = computed(() =>
  Object.entries(props.flag.facts)
    .filter(([, value]) => value !== null && value !== "")
    .map(([name, value]) => [name.replaceAll("_", " "), told(value, zone.value)]),
);
</script>

<template>
  <div class="text-plain">
    <p class="text-mute">{{ flag.why }}</p>
    <dl class="mt-2 grid grid-cols-[110px_1fr] gap-y-1">
      <template v-for="[name, value] in facts" :key="name">
        <dt class="text-mute">{{ name }}</dt>
        <dd class="break-words">{{ value }}</dd>
      </template>
      <dt class="text-mute">flagged since</dt>
      <dd :title="exact(flag.raised_at)">{{ day(flag.raised_at, zone) }}</dd>
      <dt class="text-mute">rule</dt>
      <dd>
        <RouterLink v-if="mayAccept" class="link font-mono text-small" :to="`/policy/rules/${flag.rule}`">{{
          flag.rule
        }}</RouterLink>
        <span v-else class="font-mono text-small">{{ flag.rule }}</span>
      </dd>
    </dl>
    <p class="mt-2"><span class="text-mute">Cleared by:</span> {{ flag.clears }}</p>
    <p v-if="flag.accepted" class="mt-2">
      <span class="font-[620] text-good">Accepted</span> by {{ flag.accepted.by }} until
      <span :title="exact(flag.accepted.until)">{{ lastDay(flag.accepted.until, zone) }}</span>:
      {{ flag.accepted.why }}
    </p>
    <template v-if="mayAccept && !flag.cleared_at">
      <AcceptFlag v-if="accepting || flag.accepted" :flag="flag" @done="accepting = false" />
      <button v-else type="button" class="link mt-2" @click="accepting = true">Accept…</button>
    </template>
  </div>
</template>
