<script setup lang="ts">
import type { KnownAs } from "@/api/client";

/** What providers know a party by: the provider, its key, and what it shows with it. */
defineProps<{ keys: KnownAs[] }>();
</script>

<template>
  <p v-if="!keys.length" class="small">Recorded here; no provider knows them.</p>
  <dl v-else class="grid grid-cols-[minmax(0,120px)_minmax(0,1fr)] gap-x-3 gap-y-1 text-plain">
    <template v-for="one in keys" :key="`${one.provider.id} ${one.key}`">
      <dt class="text-mute">{{ one.provider.name }}</dt>
      <dd class="break-words">
        <code class="font-mono text-small break-all">{{ one.key }}</code>
        <template v-if="one.name && one.name !== one.key && !one.addresses.includes(one.name)">
          · {{ one.name }}</template
        >
        <span v-if="one.addresses.length" class="block">{{ one.addresses.join(", ") }}</span>
        <slot :known="one" />
      </dd>
    </template>
  </dl>
</template>
