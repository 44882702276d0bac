<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems, Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import ViewMenu from "./ViewMenu.vue";
import { chosen, COLUMNS, toggled } from "./columns";
import { ORDERS } from "@/api/words";
import { chips, command, exportAddress, FORMATS, OFFERED, type Filter } from "./filters";

const props = defineProps<{ filter: Filter }>();
const emit = defineEmits<{ change: [filter: Filter] }>();
const input = ref<HTMLInputElement>();
const text = ref(props.filter.q ?? "");
/** What is wanted by its short form is shown by its name. */
const account = useQuery({
  queryKey: computed(() => ["accounts", "one", props.filter.account]),
  queryFn: () =>
    take(api.GET("/accounts/{account}", { params: { path: { account: props.filter.account ?? "" } } })),
  enabled: computed(() => !!props.filter.account),
});
const party = useQuery({
  queryKey: computed(() => ["parties", "one", props.filter.party]),
  queryFn: () => take(api.GET("/parties/{party}", { params: { path: { party: props.filter.party ?? "" } } })),
  enabled: computed(() => !!props.filter.party),
});
const names = computed<Record<string, string | undefined>>(() => ({
  account: account.data.value?.name,
  party: party.data.value?.name,
}));
const shown = computed(() =>
  chips(props.filter).map((chip) => ({ ...chip, value: names.value[chip.field] ?? chip.value })),
);
const columns = computed(() => chosen(props.filter.columns).map((column) => column.key));
const sorted = computed(() => ORDERS.find(([key]) => key === (props.filter.sort ?? "severity"))?.[1]);

let timer = 0;
watch(text, (value) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => set("q", value.trim()), 200);
});
watch(
  () => props.filter.q,
  (q) => {
    if ((q ?? "") !== text.value.trim()) text.value = q ?? "";
  },
);

function set(field: keyof Filter, value: string): void {
  emit(
    "change",
    Object.fromEntries(Object.entries({ ...props.filter, [field]: value }).filter(([, kept]) => kept)),
  );
}

defineExpose({ focus: () => input.value?.focus() });
</script>

<template>
  <div class="flex flex-wrap items-center gap-2 text-plain">
    <ViewMenu :filter="filter" @choose="(chosen) => emit('change', chosen)" />
    <input
      ref="input"
      v-model="text"
      type="search"
      class="field w-[250px]"
      aria-label="Search people, addresses, accounts"
      placeholder="Search people, addresses, accounts"
    />
    <span v-for="chip in shown" :key="chip.field" class="rounded-md bg-wash py-[6px] pr-1 pl-[10px]">
      {{ chip.text }} <b class="font-semibold">{{ chip.value }}</b>
      <button
        type="button"
        class="px-[6px] text-mute hover:text-ink"
        :aria-label="`Remove the filter ${chip.text} ${chip.value}`"
        @click="set(chip.field, '')"
      >
        ×
      </button>
    </span>
    <Menu as="div" class="relative">
      <MenuButton class="rounded-md bg-wash px-[10px] py-[6px]">
        sorted by <b class="font-semibold">{{ sorted }}</b>
      </MenuButton>
      <MenuItems class="menu w-48">
        <MenuItem v-for="[key, name] in ORDERS" :key="key" v-slot="{ active }">
          <button
            type="button"
            class="menu-item"
            :class="{ 'bg-wash': active }"
            @click="set('sort', key === 'severity' ? '' : key)"
          >
            {{ name }}
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
    <Menu as="div" class="relative">
      <MenuButton class="link px-[6px] py-[6px]">+ Filter</MenuButton>
      <MenuItems class="menu w-60">
        <template v-for="group in OFFERED" :key="group.title">
          <p class="small px-3 pt-2 pb-1">{{ group.title }}</p>
          <MenuItem v-for="[field, value, name] in group.choices" :key="field + value" v-slot="{ active }">
            <button type="button" class="menu-item" :class="{ 'bg-wash': active }" @click="set(field, value)">
              {{ name }}
            </button>
          </MenuItem>
        </template>
      </MenuItems>
    </Menu>
    <Popover class="relative ml-auto">
      <PopoverButton class="link px-[6px] py-[6px]">Columns</PopoverButton>
      <PopoverPanel class="menu right-0 w-52">
        <label v-for="column in COLUMNS" :key="column.key" class="menu-item flex gap-2">
          <input
            type="checkbox"
            :checked="columns.includes(column.key)"
            @change="set('columns', toggled(filter.columns, column.key))"
          />
          {{ column.title }}
        </label>
      </PopoverPanel>
    </Popover>
    <Menu as="div" class="relative">
      <MenuButton class="link px-[6px] py-[6px]">Export</MenuButton>
      <MenuItems class="menu right-0 w-48">
        <MenuItem v-for="[format, name] in FORMATS" :key="format" v-slot="{ active }">
          <a
            class="menu-item"
            :class="{ 'bg-wash': active }"
            :href="exportAddress(filter, format)"
            download
            >{{ name }}</a
          >
        </MenuItem>
      </MenuItems>
    </Menu>
    <Popover class="relative">
      <PopoverButton class="link py-[6px]">Same from the command line</PopoverButton>
      <PopoverPanel class="menu right-0 w-[430px] p-4">
        <p class="mb-2">This list, in a terminal:</p>
        <code class="block rounded bg-paper p-3 font-mono text-small break-words">{{ command(filter) }}</code>
        <p class="small mt-2">
          Add <code class="font-mono">--output csv</code> or <code class="font-mono">json</code> for programs.
        </p>
      </PopoverPanel>
    </Popover>
  </div>
</template>
