<script setup lang="ts">
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, nextTick, ref, watch } from "vue";
import type { Entry } from "@/api/client";
import { useSession } from "@/api/session";
import { axisAround } from "@/charts/strip";
import SpanStrip from "@/charts/SpanStrip.vue";
import StripAxis from "@/charts/StripAxis.vue";
import PowerHeads from "@/ui/PowerHeads.vue";
import PowerMarks from "@/ui/PowerMarks.vue";
import SeverityNotch from "@/ui/SeverityNotch.vue";
import { useNow } from "@/ui/clock";
import { shown as columnsOf, type Column } from "./columns";
import { ENTRIES } from "./filters";
import { endedWord, letGo } from "@/ui/ended";
import { parts } from "./parts";
import OutsideMark from "@/ui/OutsideMark.vue";

const props = defineProps<{ entries: Entry[]; open: string; more: boolean; columns?: string }>();
const now = useNow();
const columns = computed(() => columnsOf(ENTRIES.chosen(props.columns)));
// Who it is, the notch before it and the gaps between; what does not fit is scrolled to.
const layout = computed(() => ({
  gridTemplateColumns: `10px minmax(150px, 1.35fr) ${columns.value.map((column) => column.width).join(" ")}`,
  minWidth: `${columns.value.reduce((width, column) => width + column.least + 10, 170)}px`,
}));
const emit = defineEmits<{ show: [entry: string]; more: [] }>();
const { zone } = useSession();

const ROW = 51;
const scroller = ref<HTMLElement | null>(null);
const axis = axisAround(Date.now(), 246);
const rows = useVirtualizer(
  computed(() => ({
    count: props.entries.length,
    getScrollElement: () => scroller.value,
    estimateSize: () => ROW,
    overscan: 12,
  })),
);
const shown = computed(() =>
  rows.value.getVirtualItems().flatMap((row) => {
    const entry = props.entries[row.index];
    return entry ? [{ entry, index: row.index, start: row.start }] : [];
  }),
);
watch([() => shown.value.at(-1)?.index ?? 0, () => props.entries.length], ([last, length]) => {
  if (props.more && last >= length - 150) emit("more");
});
watch(
  () => props.open,
  async (open) => {
    const at = props.entries.findIndex((entry) => entry.ref === open);
    if (at < 0) return;
    await nextTick();
    rows.value.scrollToIndex(at, { align: "auto" });
  },
);

function second(entry: Entry): string {
  if (entry.kind === "session") return [entry.device, entry.network].filter(Boolean).join(" · ");
  if (entry.kind === "open") return parts(entry.resources) || "the whole account";
  if (entry.party.kind === "app") return entry.party.publisher || "publisher unknown";
  return entry.party.addresses.join(", ") || "no address known";
}
function place(entry: Entry): string {
  const where = entry.kind === "open" ? "" : parts(entry.resources);
  return [entry.provider.name, where].filter(Boolean).join(" · ");
}
function state(entry: Entry): string {
  if (entry.state === "live" || (entry.kind === "offer" && entry.state === "offered")) return entry.kind;
  if (letGo(entry)) return entry.kind;
  return entry.state === "ended" ? `${entry.kind}, ended` : `${entry.kind}, ${entry.state}`;
}
function lines(column: Column, entry: Entry): (string | undefined)[] {
  if (column.key === "where") return [entry.account.name, place(entry)];
  if (column.key === "as") return [state(entry), below(entry)];
  return column.lines?.(entry, zone.value, now.value) ?? [];
}
function below(entry: Entry): string {
  if (letGo(entry)) return `${endedWord(entry)} · ${entry.level}`;
  return entry.state === "ended" ? `${entry.end_reason} · ${entry.level}` : entry.level;
}
</script>

<template>
  <div
    ref="scroller"
    class="relative min-h-0 flex-1 overflow-auto pr-6"
    role="table"
    aria-label="Entries"
    :aria-rowcount="entries.length"
    tabindex="0"
  >
    <div
      role="row"
      class="row sticky top-0 z-5 h-[68px] items-end border-b border-rule bg-paper pb-[6px] text-small text-mute"
      :style="layout"
    >
      <span role="columnheader"><span class="sr-only">Severity</span></span>
      <span role="columnheader">Who</span>
      <template v-for="column in columns" :key="column.key">
        <span v-if="column.key === 'powers'" role="columnheader" aria-label="Powers"><PowerHeads /></span>
        <span v-else-if="column.key === 'span'" role="columnheader" aria-label="Span"
          ><StripAxis :axis="axis" :zone="zone"
        /></span>
        <span v-else role="columnheader">{{ column.title }}</span>
      </template>
    </div>
    <div class="relative" :style="{ height: `${rows.getTotalSize()}px` }">
      <div
        v-for="{ entry, index, start } in shown"
        :key="entry.id"
        :ref="(row) => rows.measureElement(row as HTMLElement | null)"
        role="row"
        :aria-rowindex="index + 1"
        :aria-selected="entry.ref === open"
        :data-index="index"
        class="row absolute top-0 left-0 w-full cursor-pointer items-center border-b border-line py-[5px] hover:bg-wash/60"
        :class="entry.ref === open ? 'bg-wash' : ''"
        :style="{ ...layout, minHeight: `${ROW}px`, transform: `translateY(${start}px)` }"
        @click="emit('show', entry.ref)"
      >
        <span role="cell" class="flex"
          ><SeverityNotch v-if="entry.flags[0]" :severity="entry.flags[0].severity"
        /></span>
        <span role="cell" class="min-w-0">
          <button type="button" class="flex max-w-full text-left" @click.stop="emit('show', entry.ref)">
            <b class="min-w-0 font-[620] wrap-anywhere">{{ entry.party.name }}</b>
            <OutsideMark v-if="entry.party.outside" />
          </button>
          <!-- Never cut: a look-alike hides in the part that is not shown. -->
          <small class="block wrap-anywhere">
            <template v-for="(piece, number) in second(entry).split(/(?<=@)/)" :key="number"
              ><wbr v-if="number" />{{ piece }}</template
            >
          </small>
        </span>
        <template v-for="column in columns" :key="column.key">
          <span v-if="column.key === 'powers'" role="cell"
            ><PowerMarks :held="entry.powers" :used="entry.used_powers" :unknown="entry.unknown"
          /></span>
          <span v-else-if="column.key === 'span'" role="cell"
            ><SpanStrip :entry="entry" :axis="axis" :zone="zone" class="block"
          /></span>
          <span v-else-if="column.key === 'why'" role="cell" class="min-w-0">
            <span
              v-if="entry.flags[0]"
              class="text-plain leading-[1.28]"
              :class="[
                entry.flags.length > 1 ? 'line-clamp-1' : 'line-clamp-2',
                ['high', 'critical'].includes(entry.flags[0].severity) ? '' : 'text-mute',
              ]"
              :title="entry.flags.map((flag) => flag.reason).join('\n')"
              >{{ entry.flags[0].reason }}</span
            >
            <small v-if="entry.flags.length > 1" class="cut">and {{ entry.flags.length - 1 }} more</small>
          </span>
          <span v-else role="cell" class="min-w-0">
            <template v-for="(line, number) in lines(column, entry)" :key="number">
              <span v-if="!number" class="cut" :title="line">{{ line }}</span>
              <small v-else-if="line" class="cut" :title="line">{{ line }}</small>
            </template>
          </span>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  column-gap: 10px;
}
.cut {
  display: block;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
small {
  color: var(--mute);
  font-size: var(--text-small);
  letter-spacing: 0.01em;
}
</style>
