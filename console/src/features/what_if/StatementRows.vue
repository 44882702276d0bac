<script setup lang="ts">
import { POWERS } from "@/api/words";
import { heldBy, namedIn, type Statement } from "./changes";

/** Who may do what with one part of an account, statement by statement. */
const statements = defineModel<Statement[]>({ required: true });
function change(place: number, more: Partial<Statement>): void {
  statements.value = statements.value.map((one, number) => (number === place ? { ...one, ...more } : one));
}
const words = (text: string): string[] | undefined => {
  const found = text
    .split(";")
    .map((one) => one.trim())
    .filter(Boolean);
  return found.length ? found : undefined;
};
function toggle(one: Statement, place: number, power: string): void {
  const powers = one.powers.includes(power) ? one.powers.filter((p) => p !== power) : [...one.powers, power];
  change(place, { powers });
}
</script>

<template>
  <div class="grid gap-3">
    <div v-for="(one, place) in statements" :key="place" class="border-l-2 border-line pl-3 text-plain">
      <div class="flex flex-wrap items-center gap-2">
        <select
          :value="one.effect"
          class="field"
          :aria-label="`Statement ${place + 1}: effect`"
          @change="
            change(place, { effect: ($event.target as HTMLSelectElement).value as Statement['effect'] })
          "
        >
          <option value="allow">let</option>
          <option value="deny">never let</option>
        </select>
        <input
          :value="namedIn(one)"
          class="field w-[230px]"
          placeholder="anyone; @a-domain.example; an address"
          :aria-label="`Statement ${place + 1}: whom`"
          @change="change(place, { to: heldBy(($event.target as HTMLInputElement).value) })"
        />
        <label v-for="power in POWERS.slice(0, 4)" :key="power" class="flex gap-1">
          <input type="checkbox" :checked="one.powers.includes(power)" @change="toggle(one, place, power)" />
          {{ power }}
        </label>
        <button
          type="button"
          class="link ml-auto"
          @click="statements = statements.filter((_, number) => number !== place)"
        >
          take out
        </button>
      </div>
      <div class="mt-1 flex flex-wrap gap-2">
        <input
          :value="one.hours?.join('; ') ?? ''"
          class="field w-[220px]"
          placeholder="at any hour; mon,tue 09:00-17:00"
          :aria-label="`Statement ${place + 1}: hours`"
          @change="change(place, { hours: words(($event.target as HTMLInputElement).value) })"
        />
        <input
          :value="one.networks?.join('; ') ?? ''"
          class="field w-[220px]"
          placeholder="from anywhere; 192.0.2.0/26"
          :aria-label="`Statement ${place + 1}: networks`"
          @change="change(place, { networks: words(($event.target as HTMLInputElement).value) })"
        />
      </div>
    </div>
    <button
      type="button"
      class="link justify-self-start text-plain"
      @click="statements = [...statements, { effect: 'allow', to: [{ anyone: true }], powers: ['view'] }]"
    >
      One statement more
    </button>
  </div>
</template>
