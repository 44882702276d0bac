<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useRouter } from "vue-router";
import { LOGGED_ABOUT } from "@/api/words";
import AccountField from "@/features/inventory/AccountField.vue";
import PartyField from "@/features/inventory/PartyField.vue";
import DateField from "@/ui/DateField.vue";
import FormField from "@/ui/FormField.vue";
import { useQueryParams } from "@/ui/useQueryParams";
import EventList from "./EventList.vue";

const head = useQuery({
  queryKey: ["log", "head"],
  queryFn: () => take(api.GET("/log/head")),
  refetchInterval: 5000,
});
const headFile = computed(
  () => `data:application/jose;charset=us-ascii,${encodeURIComponent(head.data.value?.signed ?? "")}`,
);
const { param, changed } = useQueryParams();
const router = useRouter();
const account = param("account");
const party = param("party");
const wanted = computed(() => ({
  actor: param("actor").value,
  what: param("what").value,
  since: param("since").value,
  until: param("until").value,
}));
function text(event: Event): string {
  return (event.target as HTMLInputElement).value.trim();
}
function change(values: Record<string, string>): void {
  void router.replace(changed(values));
}
</script>

<template>
  <section class="flex h-full flex-col pt-5 pl-[26px]" aria-label="Log">
    <header class="pr-6">
      <h1>Log</h1>
      <p class="mt-[5px] min-h-5 text-mute">
        <template v-if="head.data.value">
          {{ head.data.value.size.toLocaleString("en") }} events, each linked to the one before.
          <template v-if="head.data.value.archived"
            >The first {{ head.data.value.archived.toLocaleString("en") }} were archived: whoever runs the
            service has them in files.{{ " " }}</template
          >
          <template v-if="head.data.value.unsealed"
            >{{ head.data.value.unsealed }} more will follow in a few seconds.</template
          >
          Root
          <code class="font-mono text-small" :title="head.data.value.root"
            >{{ head.data.value.root.slice(0, 16) }}…</code
          >
        </template>
      </p>
      <p class="small">
        Keep the
        <a class="link" :href="headFile" :download="`head-${head.data.value?.grown ?? 0}.jws`">signed head</a>
        somewhere else: with it anyone can check later that nothing before it was altered, removed or added.
        To check it without us, take the
        <a class="link" href="/api/v1/log/copy" download="log.jsonl">{{
          head.data.value?.archived ? "log" : "whole log"
        }}</a>
        along.
        <code class="font-mono">openlatch log verify --head FILE</code>
      </p>
    </header>
    <form
      class="mt-4 flex flex-wrap items-start gap-3 pr-6 text-plain"
      aria-label="What of the log"
      @submit.prevent
    >
      <FormField label="Who did it">
        <input
          class="field w-[180px]"
          type="search"
          autocomplete="off"
          :value="wanted.actor"
          @change="change({ actor: text($event) })"
        />
      </FormField>
      <FormField label="What it is about">
        <select class="field w-[150px]" :value="wanted.what" @change="change({ what: text($event) })">
          <option value="">anything</option>
          <option v-for="about in LOGGED_ABOUT" :key="about" :value="about">{{ about }}</option>
        </select>
      </FormField>
      <AccountField
        class="w-[190px]"
        placeholder="any"
        :model-value="account"
        @update:model-value="change({ account: $event })"
      />
      <PartyField
        class="w-[190px]"
        label="Party"
        placeholder="any"
        :model-value="party"
        @update:model-value="change({ party: $event })"
      />
      <FormField label="From">
        <DateField :model-value="wanted.since" @update:model-value="change({ since: $event ?? '' })" />
      </FormField>
      <FormField label="Through">
        <DateField :model-value="wanted.until" @update:model-value="change({ until: $event ?? '' })" />
      </FormField>
    </form>
    <div class="mt-4 min-h-0 flex-1 overflow-auto pr-6" tabindex="0" role="region" aria-label="Events">
      <EventList
        :size="head.data.value?.size"
        :wanted="wanted"
        :account="account || undefined"
        :party="party || undefined"
      />
    </div>
  </section>
</template>
