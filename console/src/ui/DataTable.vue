<script setup lang="ts" generic="Row">
import { ref } from "vue";
import { useScrolls } from "./useScrolls";
import { useShortcuts } from "@/app/shortcuts";

/** A column: its key names the slot that fills its cells. */
export interface Column {
  key: string;
  title: string;
  /** How wide it is. */
  class?: string;
  /** How its cells look. */
  cell?: string;
  /** Numbers stand under each other, to the right. */
  number?: boolean;
  /** The title is for those who hear the page: whoever sees it needs none. */
  quiet?: boolean;
  /** The order that its heading asks for. */
  sort?: string;
  /** In that order, the most comes first. */
  most?: boolean;
}

/** Every table of things, one a line; where lines can be opened, a click anywhere on one does so. */
const props = defineProps<{
  columns: Column[];
  rows: readonly Row[];
  keyOf: (row: Row, place: number) => string | number;
  /** How narrow it may get before it is scrolled sideways, in pixels. */
  least?: number;
  opens?: boolean;
  isOpen?: (row: Row) => boolean;
  faint?: (row: Row) => boolean;
  /** The order that it has. */
  sorted?: string;
  /** The keys j and k go from line to line, to the first that can be pressed on each. */
  steps?: boolean;
}>();
const emit = defineEmits<{ open: [Row]; sort: [order: string] }>();
defineSlots<Record<string, (props: { row: Row; place: number }) => unknown>>();

const body = ref<HTMLElement>();
function step(by: number): void {
  const lines = [...(body.value?.children ?? [])];
  const at = lines.findIndex((line) => line.contains(document.activeElement));
  const next = lines[at < 0 ? 0 : Math.min(Math.max(at + by, 0), lines.length - 1)];
  next?.querySelector<HTMLElement>("a, button")?.focus();
}
const frame = ref<HTMLElement>();
const table = ref<HTMLElement>();
const scrolls = useScrolls(frame, table);
if (props.steps) useShortcuts({ j: () => step(1), k: () => step(-1) });
</script>

<template>
  <!-- Wider than its place it scrolls by itself, and can be reached by keyboard for that. -->
  <div
    ref="frame"
    class="relative overflow-x-auto"
    :tabindex="scrolls ? 0 : undefined"
    :role="scrolls ? 'region' : undefined"
    :aria-label="scrolls ? 'Table, scrolled sideways' : undefined"
  >
    <table
      ref="table"
      class="w-full border-collapse text-left"
      :style="least ? { minWidth: `${least}px` } : undefined"
    >
      <thead class="text-small text-mute">
        <tr class="border-b border-rule align-bottom">
          <th
            v-for="column in columns"
            :key="column.key"
            scope="col"
            class="head"
            :class="[column.class, column.number ? 'text-right' : '']"
            :aria-sort="
              column.sort && column.sort === sorted ? (column.most ? 'descending' : 'ascending') : undefined
            "
          >
            <span v-if="column.quiet" class="sr-only">{{ column.title }}</span>
            <button
              v-else-if="column.sort"
              type="button"
              class="hover:text-ink hover:underline"
              :class="column.sort === sorted ? 'font-semibold text-ink' : ''"
              @click="emit('sort', column.sort)"
            >
              {{ column.title
              }}<span v-if="column.sort === sorted" aria-hidden="true"> {{ column.most ? "▾" : "▴" }}</span>
            </button>
            <slot v-else :name="`head-${column.key}`" :row="undefined as Row" :place="-1">{{
              column.title
            }}</slot>
          </th>
        </tr>
      </thead>
      <tbody ref="body">
        <tr
          v-for="(row, place) in rows"
          :key="keyOf(row, place)"
          class="border-b border-line"
          :class="{
            'cursor-pointer hover:bg-wash/60': opens,
            'bg-wash': isOpen?.(row),
            'text-mute': faint?.(row),
          }"
          @click="opens && emit('open', row)"
        >
          <td
            v-for="column in columns"
            :key="column.key"
            class="cell"
            :class="[column.class, column.cell, column.number ? 'text-right tabular-nums' : '']"
          >
            <slot :name="column.key" :row="row" :place="place" />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
