<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import ProblemNote from "@/ui/ProblemNote.vue";
import type { Filter, ListKind } from "./kind";

const props = defineProps<{ kind: ListKind; filter: Filter }>();
const emit = defineEmits<{ choose: [filter: Filter] }>();
const queries = useQueryClient();
const name = ref("");

const { data: saved } = useQuery({ queryKey: ["views"], queryFn: () => take(api.GET("/views")) });
const own = computed(() => (saved.value?.items ?? []).filter((view) => view.of === props.kind.of));
const present = computed(() => written(props.filter));
function written(filter: Filter): string {
  return new URLSearchParams(filter as Record<string, string>).toString();
}
/** A saved view's query as a filter. */
function fromQuery(query: string): Filter {
  return props.kind.fromAddress(Object.fromEntries(new URLSearchParams(query)));
}
const current = computed(
  () =>
    own.value.find((view) => view.query === present.value)?.name ??
    props.kind.views.find((view) => written(view.filter) === present.value)?.name,
);
function again(): Promise<void> {
  return queries.invalidateQueries({ queryKey: ["views"] });
}
const save = useMutation({
  mutationFn: () =>
    take(api.PUT("/views", { body: { of: props.kind.of, name: name.value, query: present.value } })),
  onSuccess: async () => {
    name.value = "";
    await again();
  },
});
const remove = useMutation({
  mutationFn: (view: string) => take(api.DELETE("/views/{view_id}", { params: { path: { view_id: view } } })),
  onSuccess: again,
});
</script>

<template>
  <Popover v-slot="{ close }" class="relative">
    <PopoverButton class="field cursor-pointer text-left">
      <span class="text-mute">View</span> <b class="font-semibold">{{ current ?? "not saved" }}</b>
    </PopoverButton>
    <PopoverPanel class="menu w-[290px]">
      <ul>
        <li v-for="view in kind.views" :key="view.name">
          <button type="button" class="menu-item" @click="(emit('choose', view.filter), close())">
            {{ view.name }}
          </button>
        </li>
      </ul>
      <template v-if="own.length">
        <p class="small px-3 pt-2 pb-1">Saved by you</p>
        <ul>
          <li v-for="view in own" :key="view.id" class="flex">
            <button type="button" class="menu-item" @click="(emit('choose', fromQuery(view.query)), close())">
              {{ view.name }}
            </button>
            <button
              type="button"
              class="px-3 text-mute hover:text-ink"
              :aria-label="`Delete the view ${view.name}`"
              @click="remove.mutate(view.id)"
            >
              ×
            </button>
          </li>
        </ul>
      </template>
      <form class="mt-1 flex gap-2 border-t border-line px-3 pt-3 pb-2" @submit.prevent="save.mutate()">
        <input
          v-model="name"
          class="field min-w-0 flex-1"
          maxlength="200"
          aria-label="A name for this view"
          placeholder="Save what is shown as…"
          required
        />
        <button type="submit" class="button" :disabled="save.isPending.value">Save</button>
      </form>
      <ProblemNote v-if="save.error.value" :error="save.error.value" class="m-3" />
    </PopoverPanel>
  </Popover>
</template>
