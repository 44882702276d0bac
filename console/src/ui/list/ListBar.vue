<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems, Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed, ref, watch } from "vue";
import ViewMenu from "./ViewMenu.vue";
import { FORMATS, type Filter, type ListKind } from "./kind";

/** What is shown of a list: views, search, filters, order, columns, and how to have the same elsewhere. */
const props = defineProps<{
  kind: ListKind;
  filter: Filter;
  /** How things are called that a filter names by their short form. */
  names?: Record<string, string | undefined>;
}>();
const emit = defineEmits<{ change: [filter: Filter] }>();
const text = ref(props.filter.q ?? "");
const shown = computed(() =>
  props.kind.chips(props.filter).map((chip) => ({ ...chip, value: props.names?.[chip.field] ?? chip.value })),
);
const columns = computed(() => props.kind.chosen(props.filter.columns));
const usual = computed(() => props.kind.orders[0]?.[0] ?? "");
const sorted = computed(
  () => props.kind.orders.find(([key]) => key === (props.filter.sort ?? usual.value))?.[1],
);

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

function set(field: string, value: string): void {
  emit(
    "change",
    Object.fromEntries(Object.entries({ ...props.filter, [field]: value }).filter(([, kept]) => kept)),
  );
}
</script>

<template>
  <div class="flex flex-wrap items-center gap-2 text-plain">
    <ViewMenu :kind="kind" :filter="filter" @choose="(chosen) => emit('change', chosen)" />
    <input
      v-model="text"
      type="search"
      class="field w-[250px]"
      :aria-label="kind.searches"
      :placeholder="kind.searches"
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
        <MenuItem v-for="[key, name] in kind.orders" :key="key" v-slot="{ active }">
          <button
            type="button"
            class="menu-item"
            :class="{ 'bg-wash': active }"
            @click="set('sort', key === usual ? '' : key)"
          >
            {{ name }}
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
    <Menu as="div" class="relative">
      <MenuButton class="link px-[6px] py-[6px]">+ Filter</MenuButton>
      <MenuItems class="menu w-60">
        <template v-for="group in kind.offered" :key="group.title">
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
        <label v-for="column in kind.columns" :key="column.key" class="menu-item flex gap-2">
          <input
            type="checkbox"
            :checked="columns.includes(column.key)"
            @change="set('columns', kind.toggled(filter.columns, column.key))"
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
            :href="kind.exportAddress(filter, format)"
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
        <code class="block rounded bg-paper p-3 font-mono text-small break-words">{{
          kind.line(filter)
        }}</code>
        <p class="small mt-2">
          Add <code class="font-mono">--output csv</code> or <code class="font-mono">json</code> for programs.
        </p>
      </PopoverPanel>
    </Popover>
  </div>
</template>
