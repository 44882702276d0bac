<script setup lang="ts">
/** A risk from 0 to 100, with the lines that add up to it. */
defineProps<{ risk: number; lines: { says: string; points: number }[]; of?: string; label?: string }>();
</script>

<template>
  <details>
    <summary class="flex cursor-pointer list-none items-baseline gap-2">
      <span v-if="label" class="text-mute">{{ label }}</span>
      <b class="text-title font-[620] tabular-nums">{{ risk }}</b>
      <span class="text-mute">of 100</span>
      <span class="small text-act!">how it adds up</span>
    </summary>
    <table class="mt-2 text-plain">
      <tbody>
        <tr v-for="line in lines" :key="line.says">
          <td class="pr-3 text-right tabular-nums">
            {{ line.points > 0 ? "+" : "−" }}{{ Math.abs(line.points) }}
          </td>
          <td class="text-mute">{{ line.says }}</td>
        </tr>
        <tr class="border-t border-rule font-[620]">
          <td class="pr-3 text-right tabular-nums">{{ risk }}</td>
          <td>{{ of ?? "risk" }}</td>
        </tr>
      </tbody>
    </table>
  </details>
</template>
