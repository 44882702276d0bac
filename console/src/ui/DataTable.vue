<script setup lang="ts" generic="Row">
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
}

/** Every table of things, one a line; where lines can be opened, a click anywhere on one does so. */
defineProps<{
  columns: Column[];
  rows: readonly Row[];
  keyOf: (row: Row, place: number) => string | number;
  /** How narrow it may get before it is scrolled sideways, in pixels. */
  least?: number;
  opens?: boolean;
  isOpen?: (row: Row) => boolean;
  faint?: (row: Row) => boolean;
}>();
const emit = defineEmits<{ open: [Row] }>();
defineSlots<Record<string, (props: { row: Row; place: number }) => unknown>>();
</script>

<template>
  <table class="w-full border-collapse text-left" :style="least ? { minWidth: `${least}px` } : undefined">
    <thead class="text-small text-mute">
      <tr class="border-b border-rule">
        <th
          v-for="column in columns"
          :key="column.key"
          scope="col"
          class="head"
          :class="[column.class, column.number ? 'text-right' : '']"
        >
          <span v-if="column.quiet" class="sr-only">{{ column.title }}</span>
          <template v-else>{{ column.title }}</template>
        </th>
      </tr>
    </thead>
    <tbody>
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
</template>
